import type { MediumPart } from "@/core/judging/model/parts";
import type { media } from "../db/schema";

type Row = Pick<typeof media.$inferSelect, "verifiedOn" | "verifiedWhole" | "sampledOn">;

/** A medium's verification as its row has it. */
export function verifiedOf({ verifiedOn, verifiedWhole, sampledOn }: Row): MediumPart["verified"] {
  return verifiedOn === null ? null : { on: verifiedOn, whole: verifiedWhole ?? false, sampledOn };
}
