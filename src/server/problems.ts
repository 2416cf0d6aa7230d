import "@/core/kernel/plain-issues";
import type { z } from "zod";
import { fail, ok, type Result } from "@/core/problems/problem";

export { fail, ok, type Problem, type Refusal, type Result, refused, type StaleChange } from "@/core/problems/problem";

const asSentence = (text: string) => (/[.!?]$/.test(text) ? text : `${text.charAt(0).toUpperCase()}${text.slice(1)}.`);

/** Checks input at the door; each field's first complaint. */
export function checked<S extends z.ZodType>(schema: S, input: unknown): Result<z.output<S>> {
  const parsed = schema.safeParse(input);
  if (parsed.success) return ok(parsed.data);
  const fields: Record<string, string> = {};
  for (const issue of parsed.error.issues) fields[issue.path.join(".")] ??= asSentence(issue.message);
  return fail({ code: "invalid", fields });
}
