import { z } from "zod";
import { computerLineSchema } from "../../computer/exchange/lines";
import { factsSchema } from "../../computer/facts/schema";
import { imageManifestSchema } from "../../imaging/form";
import { manifestSchema } from "../../medium/integrity/manifest";
import { worldSchema } from "../../world/schema";
import { inspectionDocumentSchema } from "./inspection";
import { matchDocumentSchema } from "./match";
import { routeSchema } from "./world-answers";

/** The JSON Schemas of Creel's file forms, by file name, as they are committed in `docs/schemas`. */
export function schemaFiles(): Record<string, string> {
  const text = (schema: z.ZodType, io: "input" | "output") =>
    `${JSON.stringify(z.toJSONSchema(schema, { io, target: "draft-2020-12", unrepresentable: "any", reused: "ref" }), null, 2)}\n`;
  return {
    "creel.computer-1.json": text(computerLineSchema, "input"),
    "creel.facts-1.json": text(factsSchema, "input"),
    "creel.image-1.json": text(imageManifestSchema, "output"),
    "creel.inspection-1.json": text(inspectionDocumentSchema, "output"),
    "creel.manifest-1.json": text(manifestSchema, "input"),
    "creel.match-1.json": text(matchDocumentSchema, "output"),
    "creel.route-1.json": text(routeSchema, "output"),
    "creel.world-1.json": text(worldSchema, "input"),
  };
}
