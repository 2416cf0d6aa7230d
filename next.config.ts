import type { NextConfig } from "next";

const config: NextConfig = {
  reactStrictMode: true,
  poweredByHeader: false,
  // Types are checked by the type checker's own step.
  typescript: { ignoreBuildErrors: true },
  serverExternalPackages: ["mysql2", "pino"],
  experimental: { serverActions: { bodySizeLimit: "8mb" } },
  devIndicators: false,
};

export default config;
