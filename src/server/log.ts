import pino from "pino";

/** Structured logs on standard output. Addresses of databases carry passwords and are never logged. */
export const log = pino({ name: "creel", redact: ["*.password", "*.DATABASE_URL", "*.url", "err.config"] });
