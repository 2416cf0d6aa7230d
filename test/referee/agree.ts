import { type Facts, factsSchema } from "@/core/computer/facts/schema";
import type { Link } from "@/core/judging/model/schema";
import { betterStart } from "@/core/judging/pair/match";
import { inspect } from "@/core/medium/inspection/inspect";
import { FileSource } from "@/server/host/file-source";
import type { Lists } from "../../src/server/host/flash-variables";
import { type Machine, powerOn } from "./machine";

/** The facts of the emulated computers. */
function factsOf({ firmware, lists }: Machine): Facts {
  const uefi = firmware !== "bios";
  return factsSchema.parse({
    schema: "creel.facts/1",
    firmware: uefi
      ? {
          kind: "uefi",
          arch: firmware === "uefi-x64" ? "x64" : "ia32",
          legacyMode: "absent",
          secureBoot: lists ? secureBootOf(lists) : { state: "off" },
        }
      : { kind: "bios" },
  });
}

function secureBootOf({ pk, kek, db, dbx, sbatLevel, enabled }: Lists) {
  const base64 = (list: Uint8Array) => Buffer.from(list).toString("base64");
  return {
    state: pk.length === 0 ? "setup" : enabled ? "on" : "off",
    pk: base64(pk),
    kek: base64(kek),
    db: base64(db),
    dbx: base64(dbx),
    sbatLevel,
  };
}

/** Creel's verdict on a medium file for an emulated computer. */
export async function judgeFile(image: string, machine: Machine): Promise<Link> {
  const source = await FileSource.open(image);
  try {
    const { inspection } = await inspect(source, { name: source.name, sectorBytes: machine.sectorBytes ?? 512 });
    return betterStart(inspection, factsOf(machine), machine.as).starts;
  } finally {
    await source.close();
  }
}

export interface Comparison {
  link: Link;
  started: boolean;
  log: string;
  agrees: boolean;
}

/**
 * Creel's verdict beside what the firmware did. Where they differ the computer is started once more: an emulator
 * that is starved of time may lose a device, and only a disagreement that repeats is one.
 */
export async function compare(image: string, machine: Machine, scratch: string): Promise<Comparison> {
  const link = await judgeFile(image, machine);
  let run = await powerOn(image, machine, scratch);
  if (!agrees(link, run.started)) run = await powerOn(image, machine, scratch);
  return { link, ...run, agrees: agrees(link, run.started) };
}

/** As things stand it starts, or it does not, if need be until a setting is changed. */
export function agrees(link: Link, started: boolean): boolean {
  return started ? link.verdict === "holds" : link.verdict === "broken" || link.verdict === "holds-after-change";
}
