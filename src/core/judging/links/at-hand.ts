import type { ComputerPart, MediumPart } from "../model/parts";
import { all, broken, holds, holdsAfter, type Ruling, unknown } from "./ruling";
import { compareText } from "./versions";

/** The At hand link: where the medium is against where the computer is, and whether it can still be relied on. */
export function judgeAtHand(computer: Pick<ComputerPart, "site" | "tag" | "toldDisk">, medium: MediumPart): Ruling {
  if (medium.retired) return broken({ code: "medium-retired" });
  if (medium.condition === "distrusted") return broken({ code: "medium-distrusted" });
  if (medium.kind === "entry") return entryOf(computer, medium.onComputer ?? null);
  const place = placeOf(computer, medium);
  const ruling = medium.kind === "file" ? all([NOT_WRITTEN, place]) : place;
  const worn = medium.condition === "worn" ? [{ code: "medium-worn" } as const] : [];
  const near = computer.site === null ? [] : medium.copies.filter((copy) => copy.site === computer.site);
  const copy = [...near].sort((a, b) => compareText(a.tag, b.tag))[0];
  const copies = copy && ruling.verdict !== "holds" ? [{ code: "copy-at-site", medium: copy.tag } as const] : [];
  return { ...ruling, reasons: [...ruling.reasons, ...worn, ...copies] };
}

/** A file starts nothing: it has to be written to something first, on a computer that works. */
const NOT_WRITTEN = holdsAfter({ setting: "attachAs", from: "file", to: "usb" }, { code: "medium-is-file" });

/** An entry serves the computer that it is on, as long as its disk lives. */
function entryOf({ tag, toldDisk }: Pick<ComputerPart, "tag" | "toldDisk">, on: string | null): Ruling {
  if (on === null) return unknown({ code: "entry-computer-unknown" });
  if (on !== tag) return broken({ code: "entry-of-other", computer: on });
  return toldDisk ? broken({ code: "entry-lost" }) : holds({ code: "entry-on-disk" });
}

function placeOf(computer: Pick<ComputerPart, "site">, medium: MediumPart): Ruling {
  const to = computer.site ?? "the computer";
  if (medium.lentTo !== null)
    return holdsAfter({ setting: "place", from: medium.lentTo, to }, { code: "medium-lent", to: medium.lentTo });
  if (medium.site === null) return unknown({ code: "medium-place-unknown" });
  if (computer.site === null) return unknown({ code: "computer-place-unknown" });
  if (medium.site === computer.site) return holds({ code: "medium-at-site", site: medium.site });
  return holdsAfter(
    { setting: "place", from: medium.site, to },
    { code: "medium-elsewhere", site: medium.site, computerSite: computer.site },
  );
}
