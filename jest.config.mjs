/** @type {import("jest").Config} */
export default {
  testEnvironment: "<rootDir>/test/support/shared-context.cjs",
  roots: ["<rootDir>/src", "<rootDir>/test"],
  testSequencer: "<rootDir>/test/support/slow-first.cjs",
  testMatch: ["**/*.test.ts"],
  transform: {
    "^.+\\.(ts|tsx|mts|mjs|js)$": [
      "@swc/jest",
      {
        jsc: {
          parser: { syntax: "typescript", tsx: true },
          target: "es2022",
          transform: { react: { runtime: "automatic" } },
        },
        module: { type: "commonjs" },
      },
    ],
  },
  // These come as modules only.
  transformIgnorePatterns: [
    "/node_modules/(?!(@noble|@scure|@tus|age-encryption|better-auth|@better-auth|@better-fetch|better-call|defu|jose|kysely|nanostores|rou3|srvx)/)",
  ],
  moduleNameMapper: { "^@/(.*)$": "<rootDir>/src/$1" },
  // Firmware under emulation and reference tools take their time.
  testTimeout: 300_000,
  maxWorkers: 2,
  maxConcurrency: 2,
};
