import { type ChildProcess, execFileSync, spawn } from "node:child_process";
import { join } from "node:path";

// A computer under QEMU that starts Creel's own environment, and somebody at its serial console.

const ROOT = join(__dirname, "..", "..");

/** Builds the environment from Debian's packages; gives its file, and its kernel and first file system beside it. */
export function builtKit(folder: string): { iso: string; kernel: string; initrd: string } {
  const [iso, kernel, initrd] = ["kit.iso", "vmlinuz", "initrd"].map((name) => join(folder, name)) as [
    string,
    string,
    string,
  ];
  execFileSync(process.execPath, [join(ROOT, "scripts", "kit.mjs"), "--out", iso], { stdio: "pipe", cwd: ROOT });
  const files = ["-extract", "/creel/vmlinuz", kernel, "-extract", "/creel/initrd", initrd];
  execFileSync("xorriso", ["-osirrox", "on", "-indev", `stdio:${iso}`, ...files], { stdio: "pipe" });
  return { iso, kernel, initrd };
}

export interface AtConsole {
  /** Waits until it was shown since the last key. */
  sees: (what: RegExp, withinMs?: number) => Promise<void>;
  press: (keys: string) => void;
  /** All that was shown since the last key, without the console's own marks. */
  shown: () => string;
  /** Once it was shut down. */
  ended: Promise<void>;
  /** As when its power is cut. */
  cut: () => Promise<void>;
}

/** Starts a computer of 1.5 GB with devices as QEMU's options name them; its console is the serial one. */
export function startComputer(options: readonly string[]): AtConsole {
  const child: ChildProcess = spawn(
    "qemu-system-x86_64",
    [
      ...["-accel", "tcg,thread=multi", "-cpu", "max", "-m", "1536", "-smp", "2", "-nodefaults", "-nographic"],
      ...["-serial", "stdio", "-no-reboot", ...options],
    ],
    { stdio: ["pipe", "pipe", "pipe"] },
  );
  let text = "";
  let mark = 0;
  for (const stream of [child.stdout, child.stderr])
    stream?.on("data", (data) => {
      text += data;
    });
  // ECMA-48: control sequences begin with ESC and [, and end with a letter.
  // biome-ignore lint/suspicious/noControlCharactersInRegex: that is what they are
  const shown = () => text.slice(mark).replace(/\x1b\[[0-9;?]*[A-Za-z]/g, "\n");
  const ended = new Promise<void>((resolve) => child.once("exit", () => resolve()));
  return {
    shown,
    ended,
    press: (keys) => {
      mark = text.length;
      child.stdin?.write(keys);
    },
    sees: async (what, withinMs = 280_000) => {
      for (const until = Date.now() + withinMs; !what.test(shown()); ) {
        if (Date.now() > until || child.exitCode !== null)
          throw new Error(`${what} was not shown, but: ${shown().slice(-2500)}`);
        await new Promise((resolve) => setTimeout(resolve, 100));
      }
    },
    cut: async () => {
      child.kill("SIGKILL");
      await ended;
    },
  };
}
