import { z } from "zod";
import { signInProblemText } from "@/core/words/accounts";

const refusalSchema = z.object({ code: z.string().nullish() });

/** What the sign-in library answered: its value, or a sentence. */
export type Answer = { ok: true; value: unknown } | { ok: false; problem: string };

/**
 * Asks the sign-in library for something; `path` below its own, such as "/sign-in/email". Without a body it is only read.
 */
export async function ask(path: string, body?: Record<string, unknown>): Promise<Answer> {
  const sent = body && { method: "POST", headers: { "content-type": "application/json" }, body: JSON.stringify(body) };
  const response = await fetch(`/api/auth${path}`, sent).catch(() => null);
  if (!response) return { ok: false, problem: "The server does not answer. Check the connection, then try again." };
  const value: unknown = await response.json().catch(() => null);
  if (response.ok) return { ok: true, value };
  const { code = null } = refusalSchema.safeParse(value).data ?? {};
  return { ok: false, problem: signInProblemText(code, response.status) };
}
