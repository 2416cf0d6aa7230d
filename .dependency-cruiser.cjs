// The directions of docs/architecture.md: app, cli and workers → server → core; ui → core.

/** Floors of the core, the ground first: each stands on those before it and on none behind it. */
const CORE_FLOORS = [
  ["kernel"],
  ["crypto"],
  ["formats"],
  ["medium", "computer"],
  ["judging"],
  ["fleet"],
  ["making"],
  ["imaging"],
  ["images"],
  ["cover"],
  ["upkeep"],
  ["callout"],
  ["world"],
  ["problems"],
  ["words"],
];

/** The server's domains: each rests on those before it. Beside them stand what all of them take: act, context, problems, log. */
const SERVER_FLOORS = [
  ["db"],
  ["host"],
  ["jobs"],
  ["inventory"],
  ["accounts"],
  ["backup"],
  ["inspections"],
  ["images"],
  ["fleet"],
  ["computers"],
  ["media"],
  ["arrivals"],
  ["exchange", "drills"],
  ["devices"],
  ["bench"],
  ["cover"],
  ["callouts"],
  ["upkeep"],
  ["api"],
  ["work"],
];

/** What stands on a floor imports nothing of the floors above, and nothing of its neighbours on the same one. */
function floorRules(top, floors) {
  return floors.flatMap((floor, at) =>
    floor.map((folder) => ({
      name: `${top.split("/").at(-1)}-${folder}-looks-down`,
      severity: "error",
      from: { path: `^${top}/${folder}/`, pathNot: "\\.test\\.ts$" },
      to: {
        path: `^${top}/(${[...floor.filter((other) => other !== folder), ...floors.slice(at + 1).flat()].join("|") || "-"})/`,
      },
    })),
  );
}

/** @type {import("dependency-cruiser").IConfiguration} */
module.exports = {
  forbidden: [
    ...floorRules("src/core", CORE_FLOORS),
    ...floorRules("src/server", SERVER_FLOORS),
    {
      name: "core-has-floors-only",
      comment: "Every file of the core stands on a floor.",
      severity: "error",
      from: { path: `^src/core/(?!(${CORE_FLOORS.flat().join("|")})/)` },
      to: {},
    },
    {
      name: "server-has-domains-only",
      comment: "Every file of the server belongs to a domain, but what all of them take.",
      severity: "error",
      from: { path: `^src/server/(?!(${SERVER_FLOORS.flat().join("|")})/|(act|context|problems|log)\\.ts$)` },
      to: {},
    },
    {
      name: "no-circles-between-folders",
      severity: "error",
      scope: "folder",
      from: { path: "^src/(core|server)" },
      to: { circular: true },
    },
    {
      name: "core-stands-alone",
      comment:
        "The core runs unchanged in the browser, in a worker and in Node: nothing of the host, no interface, no database.",
      severity: "error",
      from: { path: "^src/core", pathNot: "\\.test\\.ts$" },
      to: {
        pathNot:
          "^src/core|^node_modules/(zod|hash-wasm|@noble/hashes|@noble/curves|asn1js|papaparse|fastest-levenshtein|pako|fzstd|xz-decompress|fast-xml-parser|highs|lru-cache|date-fns)/",
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
      comment: "The server's own threads run its code; those of a browser, and the solver, know the core alone.",
      severity: "error",
      from: { path: "^src/workers", pathNot: "^src/workers/(fleet|jobs|bodies)\\.worker\\.ts$" },
      to: { path: "^src/(app|ui|server|cli)" },
    },
    {
      name: "threads-have-no-interface",
      severity: "error",
      from: { path: "^src/workers/(fleet|jobs|bodies)\\.worker\\.ts$" },
      to: { path: "^src/(app|ui|cli)" },
    },
    {
      name: "cli-needs-no-database",
      comment: "Only what works on the inventory, below cli/inventory, does.",
      severity: "error",
      from: { path: "^src/cli", pathNot: "^src/cli/(inventory/|main\\.ts$)" },
      to: { path: "^src/(app|ui|workers|server/(?!(host/|devices/|log|problems))|cli/inventory)" },
    },
    {
      name: "devices-need-no-database",
      comment: "A bench host has none.",
      severity: "error",
      from: { path: "^src/server/devices/" },
      to: { path: "^src/server/(?!(host|devices)/)|^node_modules/(mysql2|drizzle-orm)/" },
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
    exclude: { path: "\\.next|dist|\\.test\\.ts$" },
  },
};
