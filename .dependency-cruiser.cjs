// The directions of docs/architecture.md: app, cli and workers → server → core; ui → core.
/** @type {import("dependency-cruiser").IConfiguration} */
module.exports = {
  forbidden: [
    {
      name: "core-stands-alone",
      comment:
        "The core runs unchanged in the browser, in a worker and in Node: nothing of the host, no interface, no database.",
      severity: "error",
      from: { path: "^src/core", pathNot: "\\.test\\.ts$" },
      to: {
        pathNot:
          "^src/core|^node_modules/(zod|hash-wasm|@noble/hashes|@noble/curves|node-forge|papaparse|fastest-levenshtein|pako|fzstd|xz-decompress|fast-xml-parser|highs)/",
        dependencyTypesNot: ["undetermined"],
      },
    },
    {
      name: "core-without-node",
      severity: "error",
      from: { path: "^src/core", pathNot: "\\.test\\.ts$" },
      to: { dependencyTypes: ["core"] },
    },
    {
      name: "server-below-app",
      severity: "error",
      from: { path: "^src/server", pathNot: "\\.test\\.ts$" },
      to: { path: "^src/(app|ui|cli|workers)" },
    },
    {
      name: "server-without-interface",
      severity: "error",
      from: { path: "^src/server" },
      to: { path: "^node_modules/(react|react-dom|next)/" },
    },
    {
      name: "ui-knows-core-only",
      severity: "error",
      from: { path: "^src/ui" },
      to: { path: "^src/(app|server|cli|workers)" },
    },
    {
      name: "workers-are-thin",
      severity: "error",
      from: { path: "^src/workers" },
      to: { path: "^src/(app|ui|server|cli)" },
    },
    {
      name: "cli-needs-no-database",
      comment: "Only what works on the inventory, below cli/inventory, does.",
      severity: "error",
      from: { path: "^src/cli", pathNot: "^src/cli/(inventory/|main\\.ts$)" },
      to: { path: "^src/(app|ui|workers|server/(db|services)|cli/inventory)" },
    },
    {
      name: "cli-below-app",
      severity: "error",
      from: { path: "^src/cli" },
      to: { path: "^src/(app|ui|workers)" },
    },
    {
      name: "no-circles",
      severity: "error",
      from: {},
      to: { circular: true, viaOnly: { dependencyTypesNot: ["type-only"] } },
    },
  ],
  options: {
    webpackConfig: { fileName: "scripts/lib/resolve.cjs" },
    tsConfig: { fileName: "tsconfig.json" },
    tsPreCompilationDeps: true,
    doNotFollow: { path: "node_modules" },
    exclude: { path: "\\.next|dist" },
  },
};
