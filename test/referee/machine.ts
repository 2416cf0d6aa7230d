import { spawn } from "node:child_process";
import { existsSync } from "node:fs";
import { join } from "node:path";
import { stripVTControlCharacters } from "node:util";
import { MARKER } from "../../scripts/media/workshop";
import {
  type EmulatedFirmware,
  GAVE_UP as FIRMWARE_GAVE_UP,
  firmwareArgs,
  firmwareFiles,
  LOADER_REFUSED,
  layVariables,
  mediumArgs,
  OVMF,
  QEMU,
} from "../../src/server/host/emulator-args";
import type { Lists } from "../../src/server/host/flash-variables";

export type Firmware = EmulatedFirmware;
export type As = "usb" | "optical";

/** An emulated computer: its firmware, how the medium is attached, and its Secure Boot lists where it has any. */
export interface Machine {
  firmware: Firmware;
  as: As;
  lists: Lists | null;
  /** Of the stick's sectors; 512 where it is not said. */
  sectorBytes?: 4096;
}

/** GRUB's marker, or the prompt of Syslinux's last stage once it has read its configuration. */
const STARTED = [MARKER, "boot: "];
/** What firmware or loader prints when there is nothing more to try. */
const GAVE_UP = [...FIRMWARE_GAVE_UP, ...LOADER_REFUSED, "\nReset System"];
/** A computer that neither starts nor gives up has hung. Software emulation, two at a time. */
const HANG_AFTER_MS = { bios: 25_000, "uefi-x64": 180_000, "uefi-ia32": 120_000 };

/**
 * What came of a start: the medium's last loader ran; the firmware had nothing more to try; nothing happened any
 * more; the emulator itself ended.
 */
type End = "started" | "gave-up" | "hung" | "died";

const ATTEMPTS = 3;

/**
 * Powers on a computer with the medium attached. An emulator that dies says nothing about the medium, nor does a
 * UEFI computer that never comes to an end, since it always ends in its shell: such a start is repeated.
 */
export async function powerOn(
  image: string,
  machine: Machine,
  scratch: string,
): Promise<{ started: boolean; log: string }> {
  for (let attempt = 1; ; attempt++) {
    const { end, log } = await powerOnOnce(image, machine, scratch);
    const isAnswer = end === "started" || end === "gave-up" || (end === "hung" && machine.firmware === "bios");
    if (isAnswer) return { started: end === "started", log };
    // Start code that runs wild resets the computer, as does a loader with nothing to start: the emulator ends.
    const hasBegun = ["Booting from 0000:7c00", "BdsDxe: starting"].some((line) => log.includes(line));
    if (attempt === ATTEMPTS && end === "died" && hasBegun) return { started: false, log };
    if (attempt === ATTEMPTS) throw new Error(`The emulated computer ${end} ${ATTEMPTS} times: ${log.slice(-1000)}`);
  }
}

function powerOnOnce(
  image: string,
  { firmware, as, lists, sectorBytes }: Machine,
  scratch: string,
): Promise<{ end: End; log: string }> {
  const args = ["-m", "256", "-display", "none", "-no-reboot", "-nic", "none", "-boot", "strict=on"];
  args.push("-chardev", "stdio,id=out,mux=on,signal=off", "-serial", "chardev:out", "-snapshot");
  const files = firmwareFiles(firmware, lists);
  const vars = join(scratch, `${Math.random().toString(36).slice(2)}.vars`);
  if (files) layVariables(files, lists, vars);
  args.push(...firmwareArgs(files && { files, vars }), ...mediumArgs(image, as, sectorBytes));
  return watch(spawn(QEMU, args, { stdio: ["pipe", "pipe", "pipe"] }), HANG_AFTER_MS[firmware]);
}

function watch(machine: ReturnType<typeof spawn>, hangAfterMs: number): Promise<{ end: End; log: string }> {
  return new Promise((resolve, reject) => {
    let log = "";
    let settled = false;
    const finish = (end: End) => {
      if (settled) return;
      settled = true;
      clearTimeout(timer);
      machine.kill("SIGKILL");
      resolve({ end, log });
    };
    const timer = setTimeout(() => finish("hung"), hangAfterMs);
    const take = (chunk: Buffer) => {
      log += chunk.toString("latin1");
      // A console that places each letter by itself still says words.
      const words = stripVTControlCharacters(log);
      if (STARTED.some((line) => words.includes(line))) finish("started");
      else if (GAVE_UP.some((line) => words.includes(line))) finish("gave-up");
    };
    machine.stdout?.on("data", take);
    machine.stderr?.on("data", take);
    machine.on("error", reject);
    machine.on("close", () => finish("died"));
  });
}

export function firmwareIsInstalled(): boolean {
  return (
    existsSync(join(OVMF, "OVMF_CODE_4M.fd")) &&
    existsSync(join(OVMF, "OVMF32_CODE_4M.secboot.fd")) &&
    existsSync(join(OVMF, "OVMF_CODE_4M.secboot.fd")) &&
    existsSync(QEMU)
  );
}
