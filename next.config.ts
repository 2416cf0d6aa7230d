import type { NextConfig } from "next";

const config: NextConfig = {
  reactStrictMode: true,
  poweredByHeader: false,
  // Types are checked by the type checker's own step.
  typescript: { ignoreBuildErrors: true },
  serverExternalPackages: ["mysql2", "pino"],
  experimental: {
    serverActions: { bodySizeLimit: "8mb" },
    // Half of a build's time went into maps, minified code and a cache of a server that nobody downloads; its traces name
    // functions as they are written.
    ...{ turbopackSourceMaps: false, serverMinification: false, turbopackFileSystemCacheForBuild: false },
  },
  devIndicators: false,
  /** Addresses that people kept, or printed, before things had the names of the interface. */
  redirects: async () =>
    [
      ["/kits/look", "/look"],
      ["/kits/compare", "/releases/compare"],
      ["/kits/:id(\\d+)/:rest*", "/releases/:id/:rest*"],
      ["/models", "/boot-keys"],
      ["/systems", "/operating-systems"],
      ["/sheets/:computer/:medium", "/run-sheets/:computer/:medium"],
    ].map(([source = "", destination = ""]) => ({ source, destination, permanent: true })),
};

export default config;
