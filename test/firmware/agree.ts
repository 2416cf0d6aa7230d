import { betterStart } from "@/core/chain/match";
import type { Link } from "@/core/chain/schema";
import { type Facts, factsSchema } from "@/core/facts/schema";
import { inspect } from "@/core/inspection/inspect";
import { FileSource } from "@/server/files/file-source";
import type { As, Firmware } from "./machine";

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
