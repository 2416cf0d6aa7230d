import { run, type Workshop } from "../../scripts/media/workshop";

/** A self-signed certificate by openssl: `c.pem` in the workshop, its key `k.pem` beside it. */
export function certificate(w: Workshop, subject: string, days: number): void {
  const files = ["-keyout", w.path("k.pem"), "-out", w.path("c.pem")];
  run("openssl", ["req", "-x509", "-newkey", "rsa:2048", "-nodes", ...files, "-subj", subject, "-days", String(days)]);
}
