import type { z } from "zod";

/** A field that somebody else changed since the form was opened. */
export interface StaleChange {
  field: string;
  before: unknown;
  after: unknown;
  by: string;
  at: string;
}

/** Expected outcomes that are not what was asked for. */
export type Problem =
  | { code: "not-found"; what: string }
  | { code: "taken"; field: string; value: string }
  | { code: "invalid"; fields: Record<string, string> }
  | { code: "stale"; changes: StaleChange[]; version: number };

export type Result<T> = { ok: true; value: T } | { ok: false; problem: Problem };

export function ok<T>(value: T): Result<T> {
  return { ok: true, value };
}

export function fail<T = never>(problem: Problem): Result<T> {
  return { ok: false, problem };
}

/** Checks input at the door; each field's first complaint. */
export function checked<S extends z.ZodType>(schema: S, input: unknown): Result<z.output<S>> {
  const parsed = schema.safeParse(input);
  if (parsed.success) return ok(parsed.data);
  const fields: Record<string, string> = {};
  for (const issue of parsed.error.issues) fields[issue.path.join(".")] ??= issue.message;
  return fail({ code: "invalid", fields });
}

export function problemText(problem: Problem): string {
  switch (problem.code) {
    case "not-found":
      return `There is no ${problem.what}. It may have been removed meanwhile.`;
    case "taken":
      return `The ${problem.field} ${problem.value} is already used: choose another.`;
    case "invalid":
      return Object.entries(problem.fields)
        .map(([field, text]) => `${field}: ${text}`)
        .join(" ");
    case "stale":
      return `Somebody changed this while you were editing: ${problem.changes.map((each) => `${each.by} changed ${each.field}`).join(", ") || "the record"}. Your entries are kept; compare and save again.`;
  }
}
