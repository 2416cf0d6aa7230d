import { spawn } from "node:child_process";
import { accessSync, mkdtempSync, rmSync } from "node:fs";
import { readFile } from "node:fs/promises";
import { createConnection } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { stripVTControlCharacters } from "node:util";
import {
  type EmulatedFirmware,
  firmwareArgs,
  firmwareFiles,
  GAVE_UP,
  LOADER_REFUSED,
  layVariables,
  mediumArgs,
  OVMF,
  QEMU,
  wasRefused,
} from "./emulator-args";
import type { Lists } from "./flash-variables";

/** What it prints when it hands over. */
const HANDED_OVER = ["BdsDxe: starting Boot", "Booting from "];
const QUIET_MS = 12_000;
const TEXT_MOST = 200_000;

/** Whether this server can emulate a computer with such firmware and Secure Boot. */
export function canEmulate(firmware: EmulatedFirmware, lists: Lists | null): boolean {
  const uefi = firmwareFiles(firmware, lists);
  const files = [QEMU, ...(uefi ? [join(OVMF, uefi.code), join(OVMF, uefi.vars)] : [])];
  try {
    for (const file of files) accessSync(file);
    return true;
  } catch {
    return false;
  }
}

/** An emulated computer: its firmware, how the medium is attached, and its Secure Boot where it is on. */
export interface Machine {
  firmware: EmulatedFirmware;
  as: "usb" | "optical";
  lists: Lists | null;
}

/** How long a start is watched, in milliseconds. */
interface Patience {
  /** At most; software emulation is slow. */
  withinMs: number;
  /** Once it handed over, and nothing was printed any more for so long, it is where it stays. */
  quietMs: number;
  /** Switches the computer off; it has then died. */
  signal?: AbortSignal;
}

export interface Emulated {
  /**
   * `went-on`: the firmware handed over to what is on the medium, and it ran on. `gave-up`: the firmware had nothing more
   * to try; `refused`: Secure Boot did not let a loader run. `neither`: nothing of both happened in the time; `died`: the emulator itself ended.
   */
  end: "went-on" | "gave-up" | "refused" | "neither" | "died";
  /** What firmware and medium printed on the serial line. */
  text: string;
  /** The screen at the end, PNG. */
  picture: Uint8Array | null;
}

/**
 * Powers on an emulated computer with an image attached and looks what comes of it. Nothing is written to the image.
 * Reference: SeaBIOS and OVMF under QEMU, with Secure Boot where its lists are given.
 */
export async function emulate(
  image: string,
  { withinMs = 150_000, quietMs = QUIET_MS, signal, ...machine }: Machine & Partial<Patience>,
): Promise<Emulated> {
  const scratch = mkdtempSync(join(tmpdir(), "creel-emulated-"));
  try {
    return await powerOn(image, machine, { withinMs, quietMs, ...(signal ? { signal } : {}) }, scratch);
  } finally {
    rmSync(scratch, { recursive: true, force: true });
  }
}

function powerOn(
  image: string,
  { firmware, as, lists }: Machine,
  { withinMs, quietMs, signal }: Patience,
  scratch: string,
): Promise<Emulated> {
  const control = join(scratch, "qmp");
  const args = [
    "-m",
    "512",
    "-display",
    "none",
    "-no-reboot",
    "-no-shutdown",
    "-nic",
    "none",
    "-boot",
    "strict=on",
    "-snapshot",
  ];
  args.push(
    "-chardev",
    "stdio,id=out,mux=on,signal=off",
    "-serial",
    "chardev:out",
    "-qmp",
    `unix:${control},server=on,wait=off`,
  );
  const files = firmwareFiles(firmware, lists);
  const vars = join(scratch, "vars.fd");
  if (files) layVariables(files, lists, vars);
  args.push(...firmwareArgs(files && { files, vars }), ...mediumArgs(image, as));
  // It ends with this process, however that ends (setpriv(1), prctl(2), PR_SET_PDEATHSIG).
  const machine = spawn("setpriv", ["--pdeathsig", "KILL", QEMU, ...args], { stdio: ["pipe", "pipe", "pipe"] });
  return new Promise((resolve, reject) => {
    let text = "";
    let settled = false;
    let quiet: ReturnType<typeof setTimeout> | undefined;
    const words = () => stripVTControlCharacters(text);
    const finish = async (end: Emulated["end"]) => {
      if (settled) return;
      settled = true;
      signal?.removeEventListener("abort", switchOff);
      clearTimeout(late);
      clearTimeout(quiet);
      const picture = end === "died" ? null : await screen(control, join(scratch, "screen.png")).catch(() => null);
      machine.kill("SIGKILL");
      resolve({ end, text: words().slice(-TEXT_MOST), picture });
    };
    const switchOff = () => void machine.kill("SIGKILL");
    signal?.addEventListener("abort", switchOff, { once: true });
    const hasHandedOver = () => HANDED_OVER.some((line) => words().includes(line));
    const late = setTimeout(() => void finish(hasHandedOver() ? "went-on" : "neither"), withinMs);
    const take = (chunk: Buffer) => {
      if (text.length < TEXT_MOST * 4) text += chunk.toString("latin1");
      if ([...GAVE_UP, ...LOADER_REFUSED].some((line) => words().includes(line)))
        return void finish(wasRefused(words()) ? "refused" : "gave-up");
      clearTimeout(quiet);
      if (hasHandedOver()) quiet = setTimeout(() => void finish("went-on"), quietMs);
    };
    machine.stdout.on("data", take);
    machine.stderr.on("data", take);
    machine.on("error", reject);
    machine.on("close", () => void finish("died"));
  });
}

const SCREEN_WITHIN_MS = 10_000;

/** The screen as PNG, by the emulator's own protocol (QMP: `screendump`). */
function screen(control: string, file: string): Promise<Uint8Array> {
  return new Promise((resolve, reject) => {
    const socket = createConnection(control);
    const timer = setTimeout(() => socket.destroy(new Error("no answer")), SCREEN_WITHIN_MS);
    let answers = "";
    const say = (execute: string, more: object = {}) =>
      socket.write(`${JSON.stringify({ execute, arguments: more })}\n`);
    socket.on("connect", () => {
      say("qmp_capabilities");
      say("screendump", { filename: file, format: "png" });
    });
    socket.on("data", (chunk) => {
      answers += chunk.toString("utf8");
      // One answer to each of the two.
      if (answers.split('"return"').length < 3 && !answers.includes('"error"')) return;
      clearTimeout(timer);
      socket.end();
      readFile(file).then((bytes) => resolve(new Uint8Array(bytes)), reject);
    });
    socket.on("error", (error) => {
      clearTimeout(timer);
      reject(error);
    });
  });
}
