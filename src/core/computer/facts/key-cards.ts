import type { FirmwareFacts } from "./schema";

/** What is known of a make and model's keys at start. */
export interface KeyCard {
  setup: string | null;
  startMenu: string | null;
  save: string | null;
  quirks: string | null;
  /** How disks are fitted: slots and their kinds, which are free, screws and caddies. */
  diskFit?: string | null;
}

export const KEY_NAMES = ["setup", "startMenu", "save"] as const;
export type KeyName = (typeof KEY_NAMES)[number];

/** Where a key is known from: this very computer, the card of its model, or what is usual in the trade. */
type KeySource = "computer" | "card" | "guess";

export interface StartKey {
  key: string;
  from: KeySource;
}

/** Usual in the trade (common practice): delete on desktops and F2 on laptops; F12, F11, F8, F9 or Esc; F10 saves. */
const USUAL_SETUP: Record<string, string> = { laptop: "F2", tablet: "F2", server: "F2", desktop: "Delete" };
const USUAL = { setup: "Delete or F2", startMenu: "F12, F11, F8, F9 or Esc", save: "F10" } as const;

/** The keys of a computer, each with where it is known from. Nothing known: the usual ones, marked as a guess. */
export function startKeys(
  keys: FirmwareFacts["keys"],
  card: KeyCard | null,
  form: string | null,
): Record<KeyName, StartKey> {
  const keyOf = (name: KeyName): StartKey => {
    const key = keys?.[name];
    if (key) return { key: key, from: "computer" };
    const ofModel = card?.[name];
    if (ofModel) return { key: ofModel, from: "card" };
    return { key: name === "setup" ? (USUAL_SETUP[form ?? ""] ?? USUAL.setup) : USUAL[name], from: "guess" };
  };
  return { setup: keyOf("setup"), startMenu: keyOf("startMenu"), save: keyOf("save") };
}
