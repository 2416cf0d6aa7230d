import { equalJson } from "../../kernel/equal-json";
import { type FactValue, flatten } from "./paths";
import type { Facts } from "./schema";

/** What a report changed of how a computer starts, and which media start it otherwise since. */
export interface ReportedChange {
  changes: { path: string; before: FactValue | null; after: FactValue | null }[];
  /** Media by tag, with the verdicts of their Starts link. */
  shifts: { tag: string; before: string; after: string }[];
}

/** Values longer than this are told of by their path alone: Secure Boot's lists. */
const VALUE_MAX = 200;

/** Facts of the firmware that differ, in the order of their paths. */
export function firmwareChanges(before: Facts, after: Facts): ReportedChange["changes"] {
  const [was, is] = [flatten(before), flatten(after)];
  const paths = [...new Set([...was.keys(), ...is.keys()])].filter((path) => path.startsWith("firmware/")).sort();
  return paths
    .filter((path) => !equalJson(was.get(path) ?? null, is.get(path) ?? null))
    .map((path) => ({ path, before: short(was.get(path)), after: short(is.get(path)) }));
}

function short(value: FactValue | undefined): FactValue | null {
  return value === undefined || JSON.stringify(value).length > VALUE_MAX ? null : value;
}
