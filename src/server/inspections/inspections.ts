import { createHash } from "node:crypto";
import { eq } from "drizzle-orm";
import { type Finding, severityOf } from "@/core/medium/findings/findings";
import { type Inspection, inspectionSchema } from "@/core/medium/inspection/schema";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { InspectionId } from "../db/ids";
import { insertedId } from "../db/results";
import { inspections, inspectionViews } from "../db/schema";

/** Media that firmware cannot tell apart have the same key. */
export function viewsKeyOf(inspection: Inspection): string {
  return createHash("sha256").update(JSON.stringify(inspection.views)).digest("hex");
}

/** What speaks most against relying on a medium. */
function faultOf(inspection: Inspection): Finding | null {
  const findings = [...inspection.tables.flatMap((table) => table.findings), ...inspection.findings];
  return findings.find((found) => severityOf(found) === "fault") ?? null;
}

export async function storeInspection(tx: Queries, context: Context, inspection: Inspection): Promise<number> {
  const { views, ...body } = inspection;
  const key = viewsKeyOf(inspection);
  // The same key is the same content: whoever comes second changes nothing.
  await tx.insert(inspectionViews).values({ key, body: views }).onDuplicateKeyUpdate({ set: { key } });
  const row = await tx
    .insert(inspections)
    .values({
      fileName: inspection.file.name.slice(0, 255),
      bytes: inspection.file.bytes,
      sha256: inspection.file.sha256,
      viewsKey: key,
      fault: faultOf(inspection),
      body,
      createdAt: context.now(),
    })
    .$returningId();
  return insertedId(row);
}

/** An inspection as it is kept, and its views; one kept before later fields were read has them empty. */
export function asInspection(body: object, views: object): Inspection | null {
  const parsed = inspectionSchema.safeParse({ ...body, views });
  return parsed.success ? parsed.data : null;
}

export async function readInspection(
  queries: Queries,
  id: InspectionId,
): Promise<{ inspection: Inspection; at: Date } | null> {
  const [row] = await queries
    .select({
      ...{ body: inspections.body, views: inspectionViews.body },
      ...{ at: inspections.createdAt, sha256: inspections.sha256 },
    })
    .from(inspections)
    .innerJoin(inspectionViews, eq(inspectionViews.key, inspections.viewsKey))
    .where(eq(inspections.id, id));
  const inspection = row && asInspection(row.body, row.views);
  if (!row || !inspection) return null;
  return { inspection: { ...inspection, file: { ...inspection.file, sha256: row.sha256 } }, at: row.at };
}
