import { Command, CommanderError } from "commander";
import { runDrives } from "./drives";
import { asBenchHost } from "./host/command";
import { asImageCommands } from "./image-commands";
import { runInspect } from "./inspect";
import { runManifest, runVerify } from "./integrity";
import { runJudge } from "./judge";
import { runMatch } from "./match";
import { runPrepare } from "./prepare";
import { UsageError } from "./problems";
import { runScan } from "./scan";
import { type AskOptions, QUESTIONS, runAsk } from "./server/ask";
import { runSiglist } from "./siglist";
import { runCat, runLs } from "./tree";

/** What some of the questions to a server can be narrowed by. */
const MORE_OF_QUESTIONS: readonly [flag: string, told: string, questions: string[]][] = [
  ["--words <words>", "in tag, name, serial, make or model", ["computers", "media"]],
  ["--site <name>", "of this site only", ["computers", "media", "cover", "due"]],
  ["--page <number>", "from 1", ["computers", "media", "cover", "due"]],
  ["--after <id>", "the id of the last event that is known", ["events"]],
];

/** Runs the command line and gives the exit code: 0 done, 1 `--check` answered no, 2 usage or unreadable input. */
export async function main(args: string[]): Promise<number> {
  let exit = 0;
  const program = new Command("creel")
    .description("Reads rescue media and judges whether they start a computer.")
    .exitOverride()
    .configureOutput({ writeErr: () => {} });
  program
    .command("inspect")
    .description("read what is on a medium image, without loading it whole")
    .argument("<file>", "an ISO, a raw disk image, a WIM or a block device")
    .option("--hash", "also compute the SHA-256 of the whole")
    .option("--deep", "also unpack what has to be unpacked to see its drivers")
    .option("--sector-bytes <bytes>", "of the stick that it is on: 512 or 4096")
    .option("--json", "print creel.inspection/1")
    .action(runInspect);
  program
    .command("match")
    .description("judge one medium for one computer, or a file of jobs")
    .argument("[file]", "the medium image")
    .option("--computer <facts>", "creel.facts/1 of the computer")
    .option("--as <kind>", "usb or optical")
    .option("--sector-bytes <bytes>", "of the stick that it is on: 512 or 4096")
    .option("--jobs <file>", 'JSON lines {"id","medium","computer","as","sectorBytes"}')
    .option("--json", "print creel.match/1")
    .option("--check", "exit 1 unless the medium starts the computer")
    .action(async (file: string | undefined, options) => {
      exit = await runMatch(file, options);
    });
  program
    .command("judge")
    .description("judge the chains of a world document: routes, offers, policy, the next images")
    .argument("<world>", "creel.world/1, as export writes it")
    .option("--computer <tag>", "of this computer only")
    .option("--medium <tag>", "of this medium only")
    .option("--outcome <kind>", "image, reinstall, start-up or files")
    .option("--image <id>", "of this image only")
    .option("--happening <what>", "what a call-out after this offers, best first")
    .option("--since <day>", "from when on the fault may have been there")
    .option("--policy", "whether each computer has what its policy requires")
    .option("--image-plan", "what the next image of each computer holds")
    .option("--json", "print creel.route/1, creel.policy/1 or creel.image-plan/1, a line each")
    .action(async (file: string, options) => {
      exit = await runJudge(file, options);
    });
  program
    .command("prepare")
    .description("make the image of a medium for later: planned, written to a new file, read back and compared")
    .argument("<file>", "the release's file: an ISO or a raw image")
    .requiredOption("--to <file>", "the image that is made; it must not be there yet")
    .requiredOption("--size <size>", "of the medium that it is for, such as 16GB")
    .requiredOption("--tag <tag>", "of the medium: names its volumes; the same tag and day make the same image")
    .option("--way <way>", "as-it-is, as-it-is-with-store or laid-out", "laid-out")
    .option("--table <kind>", "gpt or mbr, where it is laid out", "gpt")
    .option("--store", "make a store of the rest, where it is laid out")
    .option("--at <day>", "the day that it is made as of; today where it is left out")
    .option("--json", "print the result as JSON")
    .action(async (file: string, options) => {
      exit = await runPrepare(file, options);
    });
  program
    .command("ls")
    .description("list the files of every file system on a medium")
    .argument("<file>", "an ISO, a raw disk image or a block device")
    .argument("[path]", "begin here; through a file that holds files too, with a / at its end: /sources/boot.wim/")
    .option("--json", "one JSON object a line")
    .action(runLs);
  program
    .command("cat")
    .description("write one file of a medium to standard output")
    .argument("<file>", "an ISO, a raw disk image or a block device")
    .argument("<path>", "the file's path on the medium")
    .option("--volume <id>", "a partition's number, iso9660, udf, eltorito:N or wim:N")
    .action(runCat);
  program
    .command("drives")
    .description("say which driver on the medium claims each device")
    .argument("<file>", "an ISO, a raw disk image or a block device")
    .argument("<modalias...>", "pci:v0000… as the kernel writes it, or PCI ids like 8086:a282")
    .option("--json", "one JSON object a line")
    .action(runDrives);
  program
    .command("siglist")
    .description("list an EFI signature list, an update file or a variable dump")
    .argument("<file>", "db.esl, dbx.auth, a file of efivarfs …")
    .option("--json", "print one JSON document")
    .action(runSiglist);
  program
    .command("manifest")
    .description("write what a medium holds, with a SHA-256 for every file and every 4 MiB")
    .argument("<file>", "an ISO, a raw disk image or a block device")
    .option("--json", "print creel.manifest/1")
    .action(runManifest);
  program
    .command("verify")
    .description("verify that a medium is intact")
    .argument("<file>", "an ISO, a raw disk image or a block device")
    .option("--manifest <file>", "a creel.manifest/1")
    .option("--only <path>", "with --manifest: only files below this path")
    .option("--sums <file>", "a published checksum file")
    .option("--inside", "the checksums that the medium carries of its own files")
    .option("--json", "print the result as JSON")
    .option("--check", "exit 1 unless it is intact")
    .action(async (file: string, options) => {
      exit = await runVerify(file, options);
    });
  program
    .command("scan")
    .description("find the images below a folder: grouped, read, and by what their names say")
    .argument("<folder>", "where a store is mounted")
    .option("--names <pattern>", "how they are called, such as {computer} {date} {state}")
    .option("--json", "one JSON object a line")
    .action(runScan);
  program
    .command("berths")
    .description("list the berths of the bench, and what is in them")
    .option("--json", "one JSON object a line")
    .action(async (options: { json?: boolean }) => {
      const { runBerths } = await import("./inventory/berths");
      await runBerths(options);
    });
  program
    .command("export")
    .description("write everything that chains are judged from as creel.world/1")
    .option("--out <file>", "to this file instead of standard output")
    .action(async (options: { out?: string }) => {
      const { runExport } = await import("./inventory/export");
      await runExport(options);
    });
  program
    .command("import")
    .description("import a world document, or the records on media: an inventory is rebuilt from a shelf of them")
    .argument("<file...>", "creel.world/1, media images or devices, or the folders that media are mounted at")
    .option("--as <name>", "who takes them in")
    .option("--verify", "also compare each whole medium with the manifest that it carries")
    .option("--json", "one JSON object a line")
    .action(async (files: string[], options) => {
      const { runImport } = await import("./inventory/import");
      exit = await runImport(files, options);
    });
  program
    .command("backup")
    .description("write the whole inventory into one file, while it is in use")
    .argument("<file>", "the backup; it is there whole or not at all")
    .option("--library", "with the files of releases")
    .option("--passphrase-file <file>", "encrypted (age) with the passphrase in the first line of this file")
    .action(async (file: string, options) => {
      const { runBackup } = await import("./inventory/backup");
      await runBackup(file, options);
    });
  program
    .command("restore")
    .description("bring a backup into an empty inventory")
    .argument("<file>", "what backup wrote")
    .option("--passphrase-file <file>", "where it is encrypted")
    .action(async (file: string, options) => {
      const { runRestore } = await import("./inventory/backup");
      await runRestore(file, options);
    });
  asBenchHost(program.command("bench"));
  asImageCommands(program.command("image"), (code) => {
    exit = code;
  });
  for (const [name, { names, summary }] of Object.entries(QUESTIONS)) {
    const command = program
      .command(name)
      .description(`of a server: ${summary}`)
      .option("--server <url>", "address of the server; or CREEL_SERVER")
      .option("--token <token>", "a token of it; or CREEL_TOKEN")
      .option("--token-file <file>", "the token in the first line of this file, where no list of processes shows it")
      .option("--json", "one JSON object a line");
    for (const each of names) command.argument(`<${each}>`);
    for (const [flag, told, asking] of MORE_OF_QUESTIONS) if (asking.includes(name)) command.option(flag, told);
    command.action(async (...told: unknown[]) => {
      await runAsk(name, told.slice(0, names.length).map(String), told[names.length] as AskOptions);
    });
  }
  try {
    await program.parseAsync(args, { from: "user" });
    return exit;
  } catch (error) {
    if (error instanceof CommanderError) {
      if (error.exitCode === 0) return 0;
      process.stderr.write(`creel: ${error.message.replace(/^error: /, "").split("\n")[0]}\n`);
      return 2;
    }
    if (error instanceof UsageError) {
      process.stderr.write(`creel: ${error.message}\n`);
      return 2;
    }
    throw error;
  }
}
