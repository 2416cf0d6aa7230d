import { MODELS } from "./models";
import { allowing, revoking } from "./signers";
import { factsOf, SITES } from "./skerry-line";

/** A large fleet, made by rule: the same number gives the same computer, on every machine. */
export interface FleetComputer {
  tag: string;
  name: string;
  site: string;
  note: string | null;
  facts: Record<string, unknown>;
}

const ROLES = ["Counter", "Office", "Bridge", "Engine room", "Kiosk", "Workshop bench", "Crew room", "Till"];
const MODEL_NAMES = Object.keys(MODELS) as (keyof typeof MODELS)[];
const DB = [
  allowing("norlight2011", "gannet2011"),
  allowing("norlight2011", "norlight2023", "gannet2011"),
  allowing("norlight2023"),
];
/** Lists of revoked programs as long as those of an older and a newer update, or short ones for tests. */
const DBX = { long: [revoking(77), revoking(371)], short: [revoking(2), revoking(3)] };

/** A number between 0 and 1 that depends on index and salt only (a multiplicative hash). */
function chance(index: number, salt: number): number {
  const mixed = Math.imul(index + 1, 2654435761) ^ Math.imul(salt + 7, 2246822519);
  const spread = Math.imul(mixed ^ (mixed >>> 15), 3266489917);
  return ((spread ^ (spread >>> 13)) >>> 0) / 2 ** 32;
}

function oneOf<T>(list: readonly T[], index: number, salt: number): T {
  return list[Math.floor(chance(index, salt) * list.length)] as T;
}

/** Places of a fleet: the demo's own, then numbered piers. */
function fleetSite(index: number): string {
  const number = Math.floor(chance(index, 1) * 50);
  return SITES[number]?.name ?? `Pier ${number}`;
}

export function fleetComputer(index: number, lists: keyof typeof DBX = "long"): FleetComputer {
  const tag = `FL-${String(index + 1).padStart(5, "0")}`;
  const model = oneOf(MODEL_NAMES, index, 2);
  const secureBoot = oneOf(["on", "on", "off", "off", "setup", null] as const, index, 3);
  const facts = factsOf(
    {
      tag,
      name: "",
      site: "",
      model,
      secureBoot,
      unknownFirmware: chance(index, 4) < 0.04,
      ...(chance(index, 5) < 0.2 ? { fastBoot: "on" as const } : {}),
      ...(chance(index, 6) < 0.1 ? { usbStart: "off" as const } : {}),
    },
    index + 1000,
  ) as { firmware: Record<string, unknown> & { secureBoot?: Record<string, unknown> | null } } & Record<
    string,
    unknown
  >;
  if (facts.firmware.secureBoot && chance(index, 7) < 0.7)
    facts.firmware.secureBoot = {
      ...facts.firmware.secureBoot,
      db: oneOf(DB, index, 8),
      dbx: oneOf(DBX[lists], index, 9),
    };
  return {
    tag,
    name: `${oneOf(ROLES, index, 10)} ${Math.floor(chance(index, 11) * 900) + 1}`,
    site: fleetSite(index),
    note: chance(index, 12) < 0.05 ? "Moved in from another pier; check its label." : null,
    facts,
  };
}
