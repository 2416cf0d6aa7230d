import type { PolicyValues, Scope } from "../../src/core/cover/policy";

/** Minutes between places of Skerry Line, boats and waiting included; the rest goes over these. */
export const WAYS: [string, string, number][] = [
  ["Head office", "Workshop", 8],
  ["Head office", "North Pier", 12],
  ["North Pier", "MV Petrel", 25],
  ["MV Petrel", "Sandsay", 50],
  ["North Pier", "MV Fulmar", 70],
];

/** What Skerry Line asks for. Places, forms, models and computers by name. */
export const POLICIES: { scope: Scope; target: string; values: Partial<PolicyValues> }[] = [
  { scope: "everywhere", target: "", values: { withinMinutes: 60, back: 0, files: 1, spares: 1 } },
  { scope: "site", target: "MV Petrel", values: { withinMinutes: 0, spares: 0 } },
  { scope: "site", target: "MV Fulmar", values: { withinMinutes: 0, spares: 0 } },
  { scope: "form", target: "laptop", values: { back: 1 } },
  { scope: "form", target: "server", values: { back: 1, image: 1, drillDays: 180, imageDays: 60 } },
  { scope: "computer", target: "HO-002", values: { proof: "computer" } },
];
