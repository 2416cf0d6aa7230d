import type { Observation } from "../facts/merge";

/** Observations of one computer, as they themselves tell whose they are. */
export interface OfComputer {
  /** Its tag, else its serial. */
  name: string;
  observations: Observation[];
}

/**
 * Documents that were dropped together, by the computer that they name: two tags, or two serials, are two computers. What
 * names none (an output of `lsblk`) is of the one computer where there is one, and of nobody where there are several.
 */
export function byComputer(observations: readonly Observation[]): { computers: OfComputer[]; loose: Observation[] } {
  const computers: (OfComputer & { tags: Set<string>; serials: Set<string> })[] = [];
  const loose: Observation[] = [];
  for (const observation of observations) {
    const [tag, serial] = [told(observation, "computer/tag"), told(observation, "computer/serial")];
    if (tag === null && serial === null) {
      loose.push(observation);
      continue;
    }
    const own = computers.find(({ tags, serials }) => {
      if (tag !== null && tags.size > 0) return tags.has(tag.toLowerCase());
      return serial !== null && serials.has(serial.toLowerCase());
    });
    const of = own ?? { name: tag ?? serial ?? "", observations: [], tags: new Set(), serials: new Set() };
    if (!own) computers.push(of);
    of.observations.push(observation);
    if (tag !== null) {
      of.tags.add(tag.toLowerCase());
      of.name = tag;
    }
    if (serial !== null) of.serials.add(serial.toLowerCase());
  }
  const [only, ...others] = computers;
  if (only && others.length > 0) return { computers: computers.map(plain), loose };
  return { computers: [{ name: only?.name ?? "", observations: [...observations] }], loose: [] };
}

const plain = ({ name, observations }: OfComputer): OfComputer => ({ name, observations });

function told({ values }: Observation, path: string): string | null {
  const value = values.find(([at]) => at === path)?.[1];
  return typeof value === "string" && value.trim() !== "" ? value.trim() : null;
}
