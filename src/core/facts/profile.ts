import { z } from "zod";
import { architectureSchema } from "../firmware/uefi/view";
import type { Facts } from "./schema";

/** The facts of a computer that decide the Starts link, and nothing else. */
export type StartFacts = Pick<Facts, "firmware" | "ports">;

const profileSchema = z.tuple([
  z.enum(["bios", "uefi"]).nullable(),
  architectureSchema.nullable(),
  z.enum(["on", "off", "absent"]).nullable(),
  z.enum(["on", "off", "setup", "absent"]).nullable(),
  z.enum(["on", "off"]).nullable(),
  z.enum(["on", "off"]).nullable(),
  z.boolean().nullable(),
  z.boolean().nullable(),
]);

/** A canonical text of them, so that computers alike in this are judged once. */
export function startProfile(facts: StartFacts): string {
  const { firmware, ports } = facts;
  const usb = ports?.usb === null || ports?.usb === undefined ? null : ports.usb > 0;
  const profile: z.infer<typeof profileSchema> = [
    firmware.kind,
    firmware.arch,
    firmware.legacyMode,
    firmware.secureBoot?.state ?? null,
    firmware.fastBoot,
    firmware.usbStart,
    usb,
    ports?.optical ?? null,
  ];
  return JSON.stringify(profile);
}

/** The facts back from their canonical text. */
export function factsOfProfile(text: string): StartFacts {
  const [kind, arch, legacyMode, secureBoot, fastBoot, usbStart, usb, optical] = profileSchema.parse(JSON.parse(text));
  return {
    firmware: {
      kind,
      arch,
      vendor: null,
      version: null,
      legacyMode,
      secureBoot:
        secureBoot === null ? null : { state: secureBoot, pk: null, kek: null, db: null, dbx: null, sbatLevel: null },
      fastBoot,
      usbStart,
      keys: null,
    },
    ports: { usb: usb === null ? null : usb ? 1 : 0, optical },
  };
}
