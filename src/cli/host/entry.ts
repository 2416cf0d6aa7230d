import { Command, CommanderError } from "commander";
import { UsageError } from "../problems";
import { asBenchHost } from "./command";

// The program that a server hands out: a bench host, and nothing else.
asBenchHost(new Command("creel-bench"))
  .exitOverride()
  .configureOutput({ writeErr: () => {} })
  .parseAsync()
  .catch((error: unknown) => {
    if (error instanceof CommanderError && error.exitCode === 0) return;
    const isUsage = error instanceof CommanderError || error instanceof UsageError;
    const told = error instanceof Error ? error.message.replace(/^error: /, "").split("\n")[0] : String(error);
    process.stderr.write(`creel-bench: ${isUsage ? "" : "a mistake inside Creel: "}${told}\n`);
    process.exitCode = 2;
  });
