import { createHash } from "node:crypto";
import { mkdir } from "node:fs/promises";
import { homedir, hostname } from "node:os";
import { join, resolve } from "node:path";
import type { Command } from "commander";
import { Option } from "commander";
import { visible } from "@/core/words/visible";
import { fileProblem, UsageError } from "../problems";
import { CreelServer, type ServerOptions } from "../server/client";
import { BenchHost } from "./host";
import { ownPorts, simulatedPorts } from "./ports";

interface BenchOptions extends ServerOptions {
  name?: string;
  folder?: string;
  simulated?: string;
}

/** What is kept between two runs: below the folder for a program's state (XDG Base Directory, `XDG_STATE_HOME`). */
const usualFolder = () => join(process.env.XDG_STATE_HOME || join(homedir(), ".local", "state"), "creel-bench");

/** Adds the options of a bench host to a command, and what it does. */
export function asBenchHost(command: Command): Command {
  return command
    .description("make the ports of this computer berths of a server's bench, until it is stopped")
    .option("--server <url>", "address of the server; or CREEL_SERVER")
    .option("--token <token>", "a token of the kind bench; or CREEL_TOKEN")
    .option("--token-file <file>", "the token in the first line of this file, where no list of processes shows it")
    .option("--name <name>", "how the bench calls this computer; its own name where it is left out")
    .option("--folder <folder>", "for what is fetched, which is kept, and how far jobs are")
    .addOption(new Option("--simulated <folder>", "simulated devices instead of the ports, a folder each"))
    .action(runBench);
}

async function runBench(options: BenchOptions): Promise<void> {
  if (options.simulated === undefined && process.platform !== "linux")
    throw new UsageError("a bench host uses the ports of a Linux computer. Start it there, or from a live medium.");
  const server = await CreelServer.of(options);
  const own = createHash("sha256").update(server.origin).digest("hex").slice(0, 16);
  const folder = join(resolve(options.folder ?? usualFolder()), own);
  await mkdir(folder, { recursive: true, mode: 0o700 }).catch((error: unknown) => {
    throw new UsageError(`${visible(folder)}: ${fileProblem(error)}`);
  });
  const print = (text: string) => process.stdout.write(`${new Date().toISOString().slice(11, 19)} ${text}\n`);
  const { name = hostname(), simulated } = options;
  const ports = simulated === undefined ? ownPorts() : simulatedPorts(resolve(simulated));
  const host = new BenchHost({ server, ports, folder, name, print });
  print(`Bench host ${visible(name)} for ${server.origin}. Ctrl-C stops it; unfinished jobs resume at the next start.`);
  if (simulated === undefined && process.getuid?.() !== 0)
    print("Not running as root: only devices that this account may write to can be used.");
  const stop = () => {
    print("Stopping after the current block.");
    host.stop();
  };
  process.once("SIGINT", stop);
  process.once("SIGTERM", stop);
  await host.run();
}
