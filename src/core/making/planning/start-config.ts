/** Ways in which a release tells a BIOS start menu what it can start. */
export type OwnMenu =
  | { kind: "grub"; path: string }
  | { kind: "isolinux"; path: string }
  | { kind: "pe"; path: string };

/** Where releases keep them, the first that is there counts. Common practice of those that make live media. */
const PLACES: OwnMenu[] = [
  { kind: "grub", path: "/boot/grub/grub.cfg" },
  { kind: "grub", path: "/boot/grub2/grub.cfg" },
  { kind: "grub", path: "/grub/grub.cfg" },
  { kind: "isolinux", path: "/isolinux/isolinux.cfg" },
  { kind: "isolinux", path: "/boot/isolinux/isolinux.cfg" },
  { kind: "isolinux", path: "/syslinux/syslinux.cfg" },
  { kind: "isolinux", path: "/boot/syslinux/syslinux.cfg" },
  { kind: "pe", path: "/bootmgr" },
];

/** The menu that a release brings along, by its files' paths; null where it has none that a BIOS could be given. */
export function ownMenuOf(paths: Iterable<string>): OwnMenu | null {
  const pathByCapitals = new Map([...paths].map((path) => [path.toUpperCase(), path]));
  for (const place of PLACES) {
    const path = pathByCapitals.get(place.path.toUpperCase());
    if (path !== undefined) return { kind: place.kind, path };
  }
  return null;
}

/** Where the BIOS stage looks for what to do, on the medium that it was started from. */
export const START_CONFIG_PATH = "/CREEL/start/grub.cfg";

/** What the BIOS stage is told: to go on with the release's own menu. GRUB manual, "Configuration". */
export function startConfig({ kind, path }: OwnMenu): string {
  const lines = ["# Written by Creel: goes on with the release's own menu."];
  const folder = path.slice(0, path.lastIndexOf("/")) || "/";
  if (kind === "grub") lines.push(`set prefix=($root)${folder}`, `configfile "${path}"`);
  if (kind === "isolinux") lines.push(`syslinux_configfile -r / -c "${folder}" "${path}"`);
  if (kind === "pe") lines.push(`ntldr "${path}"`, "boot");
  return `${lines.join("\n")}\n`;
}

/** A release on a medium with several of them; `nth` counts from 1, in the order of their partitions. */
export interface LoadMenu {
  nth: number;
  /** The release in words. */
  title: string;
}

/** Where each of several releases on a medium has what the BIOS stage is told of it, in its own partition. */
export function loadConfigPath(nth: number): string {
  return `/CREEL/start/load-${nth}.cfg`;
}

const CHOICE_SECONDS = 15;

/**
 * What the BIOS stage is told on a medium with several releases: to let whoever sits there choose; the first is taken
 * after a while. Where only one can be started this way, to go on with that.
 */
export function choiceConfig(loads: readonly LoadMenu[]): string {
  const goOn = ({ nth }: LoadMenu) => [`search.file ${loadConfigPath(nth)} root`, `configfile ${loadConfigPath(nth)}`];
  const [only] = loads;
  if (only && loads.length === 1)
    return `${["# Written by Creel: goes on with the release that a BIOS can start.", ...goOn(only)].join("\n")}\n`;
  const entries = loads.flatMap((load) => [
    `menuentry "${load.title.replace(/["\\$`\n]/g, " ")}" {`,
    ...goOn(load).map((line) => `  ${line}`),
    "}",
  ]);
  const head = ["# Written by Creel: lets one of the releases on this medium be chosen."];
  return `${[...head, `set timeout=${CHOICE_SECONDS}`, "set default=0", ...entries].join("\n")}\n`;
}
