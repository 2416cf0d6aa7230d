import type { FirmwareFacts } from "./schema";

/** What an entry of a start order starts from, as far as its name and path tell. */
export type StartFrom = "usb" | "optical" | "network" | "internal";

/** Words of firmware menus and of the names that systems give their entries. Common practice. */
const WORDS: [StartFrom, RegExp][] = [
  ["usb", /\busb\b|\bremovable\b|\bstick\b|\bflash drive\b/i],
  ["optical", /\bcd(-?rom)?\b|\bdvd\b|\boptical\b/i],
  ["network", /\bpxe\b|\bnetwork\b|\blan\b|\bipv[46]\b|\bhttps?\b/i],
];

function startFrom(text: string): StartFrom {
  return WORDS.find(([, words]) => words.test(text))?.[0] ?? "internal";
}

/** The kinds of a start order, first to last, each once; null where the order is not known. Entries switched off are left out. */
export function startKinds({ startOrder, entries }: Pick<FirmwareFacts, "startOrder" | "entries">): StartFrom[] | null {
  if (!startOrder || startOrder.length === 0) return null;
  const kinds = startOrder.flatMap((item): StartFrom[] => {
    const entry = entries?.find((each) => each.id.toLowerCase() === item.toLowerCase());
    if (entry?.active === false) return [];
    return [startFrom(entry ? `${entry.name} ${entry.path ?? ""}` : item)];
  });
  return [...new Set(kinds)];
}

/** Whether the internal disk is asked before a medium of a kind; null where the order is not known. */
export function internalFirst(firmware: FirmwareFacts, kind: "usb" | "optical"): boolean | null {
  const kinds = startKinds(firmware);
  if (!kinds) return null;
  const place = kinds.indexOf(kind);
  const internal = kinds.indexOf("internal");
  if (place < 0) return internal >= 0;
  return internal >= 0 && internal < place;
}
