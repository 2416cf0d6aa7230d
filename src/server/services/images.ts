import { eq } from "drizzle-orm";
import { z } from "zod";
import { imageBodySchema } from "@/core/chain/parts";
import type { Context } from "../context";
import { computers, systemImages } from "../db/schema";
import { checked, fail, ok, type Result } from "../problems";
import { recordEvent } from "./events";
import { changing } from "./versioned";

const imageInputSchema = z.object({
  name: z.string().trim().min(1, "A name is needed.").max(200),
  computer: z.string().trim().min(1, "The computer's tag is needed."),
  takenAt: z.iso.datetime({ offset: true, error: "A time is such as 2026-03-01T09:30:00Z." }),
  body: imageBodySchema,
});
export type ImageInput = z.input<typeof imageInputSchema>;

/** Records a system image of a computer. Problems: `invalid`, `taken`, `not-found`. */
export async function recordImage(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(imageInputSchema, input);
  if (!parsed.ok) return parsed;
  const { name, computer: tag, takenAt, body } = parsed.value;
  return changing(context, { field: "name", value: name }, async (tx) => {
    const [computer] = await tx.select({ id: computers.id }).from(computers).where(eq(computers.tag, tag));
    if (!computer) return fail({ code: "not-found", what: `computer ${tag}` });
    const times = { createdAt: context.now(), updatedAt: context.now() };
    const [row] = await tx
      .insert(systemImages)
      .values({ name, computerId: computer.id, takenAt: new Date(takenAt), body, ...times })
      .$returningId();
    const { id } = row as { id: number };
    await recordEvent(tx, context, {
      entity: "image",
      entityId: id,
      entityTag: name,
      action: "added",
      version: 1,
      before: null,
      after: { computer: tag, takenAt, ...body },
    });
    return ok(id);
  });
}
