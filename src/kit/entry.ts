import { webcrypto } from "node:crypto";
import type { ReadStream } from "node:tty";
import { Kit } from "./kit";
import { Console, consoleWriter } from "./screen";

// Debian's Node has it as a module only.
globalThis.crypto ??= webcrypto as Crypto;

const terminal = process.argv[2] ?? "tty1";
const shown = new Console(process.stdin as ReadStream, consoleWriter(`/dev/${terminal}`));
new Kit(shown, `${process.env.CREEL_ROOT ?? "/creel"}/creel-collect.sh`).run().catch((error: unknown) => {
  process.stderr.write(`${error instanceof Error ? (error.stack ?? error.message) : String(error)}\n`);
  process.exit(1);
});
