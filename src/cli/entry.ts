import { main } from "./main";

process.stdout.on("error", (error: NodeJS.ErrnoException) => {
  // The reader of a pipe went away: nothing is left to say.
  if (error.code === "EPIPE") process.exit(0);
});
main(process.argv.slice(2)).then(
  (code) => {
    process.exitCode = code;
  },
  (error: unknown) => {
    process.stderr.write(`creel: a mistake inside Creel: ${error instanceof Error ? error.message : String(error)}\n`);
    process.exitCode = 2;
  },
);
