import { z } from "zod";
import { architectureSchema } from "../../kernel/architecture";
import { signatureSchema, wimOnMediumSchema } from "../../medium/contents/schema";
import { type Finding, severityOf, severitySchema } from "../../medium/findings/findings";
import { programKindSchema, sbatRowSchema } from "../../medium/firmware/uefi/view";
import { attachmentSchema, type Inspection, inspectionSchema } from "../../medium/inspection/schema";
import { partitionOf, type StartPath, startPathsOf } from "../../medium/inspection/start-paths";
import { tableSchema } from "../../medium/tables/schema";
import { wimFaultText } from "../archives";
import { findingText } from "../findings";
import { startCodeText } from "../firmware";
import { placeText } from "../places";
import { startProblemText } from "../start-paths";

const findingRowSchema = z.looseObject({ code: z.string(), severity: severitySchema, text: z.string() });

const startPathRowSchema = z.object({
  firmware: z.enum(["uefi", "bios"]),
  arch: z.union([architectureSchema, z.literal("x86")]),
  as: attachmentSchema,
  /** The loader's path; for BIOS the name of the boot code. */
  file: z.string(),
  /** Partition number, or null where the loader does not lie in a partition. */
  partition: z.number().int().nullable(),
  /** Where it lies, in words. */
  place: z.string(),
  loader: z
    .object({
      machine: z.string().nullable(),
      bytes: z.number().int(),
      /** Null: not looked for yet. */
      authenticode: z.string().nullable(),
      signatures: z.array(signatureSchema).nullable(),
      sbat: z.array(sbatRowSchema).nullable(),
      kind: programKindSchema.nullable(),
    })
    .nullable(),
  problems: z.array(z.object({ code: z.string(), text: z.string() })),
});

const contentsRowSchema = inspectionSchema.shape.contents.extend({
  wims: z.array(wimOnMediumSchema.extend({ faults: z.array(z.string()) })).nullable(),
});

/** `creel.inspection/1`: an inspection with its sentences, and the start paths that derive from it. */
export const inspectionDocumentSchema = inspectionSchema.extend({
  tables: z.array(tableSchema.extend({ findings: z.array(findingRowSchema) })),
  contents: contentsRowSchema,
  startPaths: z.array(startPathRowSchema),
  findings: z.array(findingRowSchema),
});
export type InspectionDocument = z.infer<typeof inspectionDocumentSchema>;

/** What was read of a medium as `creel.inspection/1`. */
export function inspectionDocument(inspection: Inspection): InspectionDocument {
  const { schema, file, sectorBytes, container, tables, partitions, whole } = inspection;
  const { catalogue, contents, programs, findings, views } = inspection;
  return {
    ...{ schema, file, sectorBytes, container },
    tables: tables.map((table) => ({ ...table, findings: table.findings.map(findingRow) })),
    ...{ partitions, whole, catalogue },
    startPaths: startPathsOf(inspection).map(startPathRow),
    contents: { ...contents, wims: contents.wims && contents.wims.map(wimRow) },
    programs,
    findings: findings.map(findingRow),
    views,
  };
}

function wimRow(wim: z.infer<typeof wimOnMediumSchema>) {
  return { ...wim, faults: wim.faults.map(wimFaultText) };
}

function findingRow(finding: Finding): z.infer<typeof findingRowSchema> {
  const row = { severity: severityOf(finding), text: findingText(finding) };
  return finding.code === "told-in-words" ? { code: finding.was, ...row } : { ...finding, ...row };
}

function startPathRow(path: StartPath): z.infer<typeof startPathRowSchema> {
  const { firmware, arch, as, place, problem } = path;
  const code = problem?.code === "bios-stops" ? `bios-${problem.step.code}` : problem?.code;
  return {
    ...{ firmware, arch, as },
    file: path.firmware === "bios" ? startCodeText(path.program) : path.file,
    partition: partitionOf(place),
    place: placeText(place),
    loader: path.firmware === "bios" ? null : path.loader,
    problems: problem && code ? [{ code, text: startProblemText(problem) }] : [],
  };
}
