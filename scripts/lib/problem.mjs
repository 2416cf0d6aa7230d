/** Something that the person at the keyboard can mend: one sentence, exit code 1. */
export class Problem extends Error {}

/** Runs a script's main function; a problem becomes its sentence, never a stack trace. */
export async function runMain(main) {
  try {
    process.exitCode = (await main()) ?? 0;
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    process.stderr.write(`creel: ${error.message}\n`);
    process.exit(1);
  }
}
