import { dayOfMomentText, zonedMomentText } from "@/core/words/dates";
import { archText } from "@/core/words/firmware";
import { regional } from "./regional";

/** Words for what the inventory holds. */
export function mediumKindText(kind: string): string {
  return (
    {
      usb: "USB stick",
      disk: "External disk",
      optical: "Optical disc",
      file: "File, not written yet",
      entry: "Boot entry on a computer",
    }[kind] ?? kind
  );
}

export function formText(form: string | null): string {
  return form === null ? "not recorded" : form;
}

export function firmwareText(firmware: {
  kind: string | null;
  arch: string | null;
  legacyMode?: string | null;
}): string {
  if (firmware.kind === null) return "firmware not recorded";
  if (firmware.kind === "bios") return "BIOS";
  const base = firmware.arch === null ? "UEFI, architecture not recorded" : `UEFI, ${archText(firmware.arch)}`;
  return firmware.legacyMode === "on" ? `${base}, in legacy mode` : base;
}

export function plural(count: number, one: string, many = `${one}s`): string {
  return `${count.toLocaleString("en-GB")} ${count === 1 ? one : many}`;
}

const TAGS_SHOWN = 10;

/** "RM-01, RM-02 and 7 more": tags in a table's cell. */
export function tagsText(all: string[]): string {
  const shown = all.slice(0, TAGS_SHOWN).join(", ");
  return all.length > TAGS_SHOWN ? `${shown} and ${all.length - TAGS_SHOWN} more` : shown;
}

export function dateText(value: Date | string | null): string {
  if (value === null) return "not recorded";
  return dayOfMomentText(value);
}

/** "1 Jul 2027, 09:30", in the organisation's time zone, where a heading says which that is (`zoneText`). */
export function timeText(value: Date | string): string {
  return zonedMomentText(value, regional().timeZone, false);
}

/** The same with its zone: "1 Jul 2027, 09:30 BST". */
export function zonedTimeText(value: Date | string): string {
  return zonedMomentText(value, regional().timeZone, true);
}

/** "09:30", likewise: of a moment of which everybody knows the day. */
export function clockText(value: Date | string): string {
  return timeText(value).split(", ").at(-1) as string;
}

/** "London time", for the heading of a column of times: the place by which the time zone is called. */
export function zoneText(): string {
  const { timeZone } = regional();
  return timeZone.includes("/") ? `${timeZone.split("/").at(-1)?.replaceAll("_", " ")} time` : timeZone;
}
