import { readOsRelease } from "../../formats/os-release";
import type { Told } from "./document";

/** The system of an os-release file, which was read on `partition` where that is known. */
export function systemFacts(text: string, partition: string | null = null): Told {
  const system = readOsRelease(text);
  if (!system) return { facts: {}, notes: [{ code: "no-system-named" }] };
  return { facts: { systems: [{ ...system, family: "linux", ...(partition ? { partition } : {}) }] } };
}
