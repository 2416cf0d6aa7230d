import { readInto } from "../../kernel/source";

/** What a berth holds, whatever it is: the one interface of simulated and real devices. Sizes and places in bytes. */
export interface Device {
  readonly identity: DeviceIdentity;
  /** What it says it holds. */
  readonly sizeBytes: number;
  /** Short where the device ends. Throws `DeviceFault`. */
  read(offset: number, length: number): Promise<Uint8Array>;
  /** As `read`, into memory that is there already; gives how many bytes. */
  readInto?(offset: number, target: Uint8Array): Promise<number>;
  /** All of `bytes`, or it throws `DeviceFault`. */
  write(offset: number, bytes: Uint8Array): Promise<void>;
  /** Returns once everything written so far is on the device itself, and reads come from there. */
  flush(): Promise<void>;
  close(): Promise<void>;
}

export const DEVICE_KINDS = ["usb", "card", "disk", "optical"] as const;
export type DeviceKind = (typeof DEVICE_KINDS)[number];

export interface DeviceIdentity {
  kind: DeviceKind;
  model: string;
  /** As the device says it; null where it says none. Two devices of one make may say the same. */
  serial: string | null;
  bytes: number;
  sectorBytes: 512 | 2048 | 4096;
}

/** Whether two readings speak of the same device, as far as devices can be told apart. */
export function sameDevice(a: DeviceIdentity, b: DeviceIdentity): boolean {
  return a.kind === b.kind && a.model === b.model && a.serial === b.serial && a.bytes === b.bytes;
}

/** Why a device did not do what it was asked. */
export type DeviceFaultCode =
  | "gone"
  | "write-protected"
  | "in-use"
  | "read-failed"
  | "write-failed"
  | "no-answer"
  | "already-written";

/** The device failed, not the one who asked. */
export class DeviceFault extends Error {
  override readonly name = "DeviceFault";
  constructor(
    readonly code: DeviceFaultCode,
    /** Where, where it is about a place. */
    readonly offset: number | null = null,
    options?: { cause?: unknown },
  ) {
    super(offset === null ? code : `${code} at ${offset}`, options);
  }
}

/** How long a device may take over one block before it is given up. Slow flash takes seconds over an erase block. */
const ANSWER_WITHIN_MS = 60_000;

/** A device whose every act ends: with its answer, or with `no-answer` once it has taken too long. */
export function impatient(device: Device, withinMs: number = ANSWER_WITHIN_MS): Device {
  const within = async <T>(act: Promise<T>, offset: number | null): Promise<T> => {
    let timer: ReturnType<typeof setTimeout> | undefined;
    const late = new Promise<never>((_, reject) => {
      timer = setTimeout(() => reject(new DeviceFault("no-answer", offset)), withinMs);
    });
    // Whoever comes too late is not waited for, nor are its complaints.
    act.catch(() => {});
    try {
      return await Promise.race([act, late]);
    } finally {
      clearTimeout(timer);
    }
  };
  return {
    identity: device.identity,
    sizeBytes: device.sizeBytes,
    read: (offset, length) => within(device.read(offset, length), offset),
    readInto: (offset, target) => within(readInto(device, offset, target), offset),
    write: (offset, bytes) => within(device.write(offset, bytes), offset),
    flush: () => within(device.flush(), null),
    close: () => device.close(),
  };
}
