import type { ComputerPart, ReleasePart } from "../model/parts";
import { all, broken, holds, type Ruling, unknown } from "./ruling";
import { targetOf } from "./target";
import { sameName } from "./versions";

/**
 * A maker's own medium, made on a computer, puts computers of that model back to their first day, and no others: what it
 * holds has that model's drivers and licence. Common practice.
 */
export function judgeFactory(
  computer: Pick<ComputerPart, "facts" | "toldDisk">,
  { name, facts }: Pick<ReleasePart, "name" | "facts">,
): Ruling {
  return all([sameModel(computer, name, facts.factoryOf ?? null), targetOf(computer).ruling]);
}

function sameModel(
  { facts }: Pick<ComputerPart, "facts">,
  release: string,
  of: { make: string; model: string } | null,
): Ruling {
  if (of === null) return unknown({ code: "release-fact-missing", fact: "factoryOf", release });
  const { make, model } = facts.computer;
  if (make === null || model === null) return unknown({ code: "fact-missing", fact: "model" });
  const told = { release, of: `${of.make} ${of.model}` };
  return sameName(make, of.make) && sameName(model, of.model)
    ? holds({ code: "factory-fits", ...told })
    : broken({ code: "factory-other-model", ...told });
}
