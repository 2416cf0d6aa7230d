import { z } from "zod";

export const severitySchema = z.enum(["info", "caution", "fault"]);
export type Severity = z.infer<typeof severitySchema>;

/** Everything that an inspection can notice, as code and facts. Sentences: `words/findings.ts`. */
const codedSchema = z.discriminatedUnion("code", [
  z.object({ code: z.literal("medium-empty") }),
  z.object({ code: z.literal("nothing-recognised") }),
  z.object({ code: z.literal("read-as-folder") }),
  z.object({ code: z.literal("compressed"), compression: z.string() }),
  z.object({ code: z.literal("not-a-start-medium") }),
  z.object({ code: z.literal("nothing-starts") }),
  z.object({ code: z.literal("gpt-from-backup"), fault: z.string() }),
  z.object({ code: z.literal("gpt-backup-missing") }),
  z.object({ code: z.literal("gpt-backup-displaced"), lastSector: z.number(), found: z.number() }),
  z.object({ code: z.literal("gpt-damaged"), primary: z.string(), backup: z.string() }),
  z.object({ code: z.literal("gpt-not-protected"), hybridDisc: z.boolean() }),
  z.object({ code: z.literal("gpt-other-sector-size"), sectorBytes: z.number() }),
  z.object({ code: z.literal("gpt-entry-outside"), number: z.number() }),
  z.object({ code: z.literal("gpt-entry-overlaps"), number: z.number() }),
  z.object({ code: z.literal("mbr-unsigned") }),
  z.object({ code: z.literal("mbr-entry-past-end"), slot: z.number() }),
  z.object({ code: z.literal("mbr-entries-overlap"), slot: z.number(), hybridDisc: z.boolean() }),
  z.object({ code: z.literal("mbr-beside-gpt") }),
  z.object({ code: z.literal("logical-chain-broken") }),
  z.object({
    code: z.literal("volume-exceeds-partition"),
    index: z.number(),
    volumeBytes: z.number(),
    partitionBytes: z.number(),
  }),
  z.object({ code: z.literal("fat-too-few-clusters"), index: z.number().nullable(), clusters: z.number() }),
  z.object({ code: z.literal("catalogue-outside"), sector: z.number() }),
  z.object({ code: z.literal("catalogue-checksum") }),
  z.object({ code: z.literal("catalogue-key") }),
  z.object({ code: z.literal("catalogue-sections") }),
  z.object({ code: z.literal("iso-cut-short"), wantedBytes: z.number(), thereBytes: z.number() }),
  z.object({ code: z.literal("iso-not-hybrid") }),
  z.object({ code: z.literal("odd-size"), overBytes: z.number() }),
  z.object({ code: z.literal("boot-store-names-missing"), store: z.string(), file: z.string() }),
  z.object({ code: z.literal("boot-store-damaged"), store: z.string() }),
  /** Of an inspection that was kept when findings were kept as sentences: `was` is its code. */
  z.object({ code: z.literal("told-in-words"), was: z.string(), severity: severitySchema, text: z.string() }),
]);
export type Finding = z.infer<typeof codedSchema>;

/** A finding as it is kept; one from the time of sentences, without its facts, is read on as it was told. */
export const findingSchema: z.ZodType<Finding> = z.union([
  codedSchema,
  z
    .object({ code: z.string(), severity: severitySchema, text: z.string() })
    .transform(({ code, severity, text }): Finding => ({ code: "told-in-words", was: code, severity, text })),
]);

const SEVERITY: Record<Exclude<Finding["code"], "told-in-words">, Severity> = {
  "medium-empty": "fault",
  "nothing-recognised": "fault",
  "read-as-folder": "info",
  compressed: "fault",
  "not-a-start-medium": "info",
  "nothing-starts": "caution",
  "gpt-from-backup": "caution",
  "gpt-backup-missing": "caution",
  "gpt-backup-displaced": "caution",
  "gpt-damaged": "fault",
  "gpt-not-protected": "fault",
  "gpt-other-sector-size": "caution",
  "gpt-entry-outside": "caution",
  "gpt-entry-overlaps": "caution",
  "mbr-unsigned": "fault",
  "mbr-entry-past-end": "fault",
  "mbr-entries-overlap": "fault",
  "mbr-beside-gpt": "info",
  "logical-chain-broken": "caution",
  "volume-exceeds-partition": "caution",
  "fat-too-few-clusters": "fault",
  "catalogue-outside": "fault",
  "catalogue-checksum": "caution",
  "catalogue-key": "caution",
  "catalogue-sections": "caution",
  "iso-cut-short": "fault",
  "iso-not-hybrid": "info",
  "odd-size": "info",
  "boot-store-names-missing": "caution",
  "boot-store-damaged": "caution",
};

/** How grave a finding is. */
export function severityOf(finding: Finding): Severity {
  // Hybrid discs overlap their entries on purpose, and UEFI starts them by the catalogue.
  if ((finding.code === "mbr-entries-overlap" || finding.code === "gpt-not-protected") && finding.hybridDisc)
    return "info";
  if (finding.code === "told-in-words") return finding.severity;
  return SEVERITY[finding.code];
}
