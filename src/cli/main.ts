import { Command, CommanderError } from "commander";
import { runInspect } from "./inspect";
import { runMatch } from "./match";
import { UsageError } from "./problems";

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
    .option("--json", "print creel.inspection/1")
    .action(async (file: string, options: { hash?: boolean; json?: boolean }) => {
      await runInspect(file, options);
    });
  program
    .command("match")
    .description("judge one medium for one computer, or a file of jobs")
    .argument("[file]", "the medium image")
    .option("--computer <facts>", "creel.facts/1 of the computer")
    .option("--as <kind>", "usb or optical")
    .option("--jobs <file>", 'JSON lines {"id","medium","computer","as"}')
    .option("--json", "print creel.match/1")
    .option("--check", "exit 1 unless the medium starts the computer")
    .action(async (file: string | undefined, options) => {
      exit = await runMatch(file, options);
    });
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
