import pino from "pino";

const MESSAGE_MAX = 300;

/**
 * An error as it is logged: of a statement that failed only its beginning, without the values that were in it, which are
 * what people keep here, and may be a whole fleet.
 */
export function loggedError(error: unknown): Record<string, unknown> {
  if (!(error instanceof Error)) return { message: withoutValues(String(error)) };
  const { name, message, stack, cause } = error;
  const frames = (stack ?? "").slice((stack ?? "").indexOf(message) + message.length);
  return {
    ...{ type: name, message: withoutValues(message), stack: frames.split("\n").filter(Boolean).slice(0, 12) },
    ...("code" in error ? { code: error.code } : {}),
    ...("errno" in error ? { errno: error.errno } : {}),
    ...(cause === undefined ? {} : { cause: loggedError(cause) }),
  };
}

/**
 * Up to the values of a statement: they follow the parameters' heading, or the word before the rows. The database
 * quotes a value that it refuses.
 */
function withoutValues(message: string): string {
  const [statement = ""] = message.split(/\nparams: | VALUES \(/, 1);
  const text = statement.replace(/\b(entry|value:?) '.*?'/gi, "$1 '…'");
  return text.length > MESSAGE_MAX ? `${text.slice(0, MESSAGE_MAX)}…` : text;
}

/** Structured logs on standard output. Addresses of databases carry passwords and are never logged. */
export const log = pino({
  name: "creel",
  redact: ["*.password", "*.DATABASE_URL", "*.url"],
  serializers: { err: loggedError },
});
