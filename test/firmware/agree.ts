import { betterStart } from "@/core/chain/match";
import type { Link } from "@/core/chain/schema";
import { type Facts, factsSchema } from "@/core/facts/schema";
import { inspect } from "@/core/inspection/inspect";
import { FileSource } from "@/server/files/file-source";
import { type As, type Firmware, powerOn } from "./machine";

/** The facts of the emulated computers. */
export function factsOf(firmware: Firmware): Facts {
  const uefi = firmware !== "bios";
  return factsSchema.parse({
    schema: "creel.facts/1",
    firmware: uefi
      ? {
          kind: "uefi",
          arch: firmware === "uefi-x64" ? "x64" : "ia32",
          legacyMode: "absent",
          secureBoot: { state: "off" },
        }
      : { kind: "bios" },
  });
}

/** Creel's verdict on a medium file for an emulated computer. */
export async function judgeFile(image: string, firmware: Firmware, as: As): Promise<Link> {
  const source = await FileSource.open(image);
  try {
    const { inspection } = await inspect(source, { name: source.name });
    return betterStart(inspection, factsOf(firmware), as).starts;
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
export async function compare(image: string, firmware: Firmware, as: As, scratch: string): Promise<Comparison> {
  const link = await judgeFile(image, firmware, as);
  const agreesWith = ({ started }: { started: boolean }) => link.verdict === (started ? "holds" : "broken");
  let run = await powerOn(image, firmware, as, scratch);
  if (!agreesWith(run)) run = await powerOn(image, firmware, as, scratch);
  return { link, ...run, agrees: agreesWith(run) };
}
