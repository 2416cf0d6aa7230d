import { execFile } from "node:child_process";
import { readFile } from "node:fs/promises";

/** The text of a small file of the system, trimmed; null where it is not there. */
export async function textOf(path: string): Promise<string | null> {
  try {
    const text = (await readFile(path, "latin1")).replaceAll("\0", "").trim();
    return text === "" ? null : text;
  } catch {
    return null;
  }
}

/** Runs a tool; null where it failed, for which it has its own reasons. */
export function tool(command: string, args: string[], timeoutMs = 120_000): Promise<string | null> {
  return new Promise((resolve) => {
    execFile(command, args, { encoding: "utf8", timeout: timeoutMs, maxBuffer: 64 << 20 }, (error, stdout) =>
      resolve(error ? null : stdout),
    );
  });
}
