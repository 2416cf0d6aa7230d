import { Buffer } from "node:buffer";
import { guidBytes } from "@/core/kernel/put";

/**
 * Variables in the flash file of the reference firmware, so that an emulated computer has the Secure Boot lists that are
 * wanted. Layout: EDK2, MdeModulePkg/Include/Guid/VariableFormat.h (VARIABLE_STORE_HEADER,
 * AUTHENTICATED_VARIABLE_HEADER); names and vendors: UEFI 2.10, 32.3 and 3.3.
 */
export interface Variable {
  name: string;
  vendor: string;
  attributes: number;
  data: Uint8Array;
}

const GLOBAL = "8be4df61-93ca-11d2-aa0d-00e098032b8c";
const SECURITY = "d719b2cb-3d3a-4596-a3bc-dad00e67656f";
const SHIM = "605dab50-e046-4300-abb6-3dd810dd8b23";
/** SecurityPkg/Include/Guid/AuthenticatedVariableFormat.h: gEfiSecureBootEnableDisableGuid. */
const ENABLE = "f0a30bc7-af08-4556-99c4-001009c93a44";
/** MdeModulePkg: gEfiAuthenticatedVariableGuid. */
const STORE = "aaf32c78-947b-439a-a180-2e144ec37792";

const NV_BS = 0x03;
/** Non-volatile, at boot and at run time, with a time-based authentication header when it is set. */
const AUTHENTICATED = 0x27;

/** Secure Boot of a computer: signature lists (UEFI 2.10, 32.4.1) as bytes. */
export interface Lists {
  pk: Uint8Array;
  kek: Uint8Array;
  db: Uint8Array;
  dbx: Uint8Array;
  sbatLevel: string;
  /** The owner's switch in set-up. */
  enabled: boolean;
}

/** The variables of a computer with these lists; empty ones are not there at all. */
export function variablesOf({ pk, kek, db, dbx, sbatLevel, enabled }: Lists): Variable[] {
  const lists: Variable[] = [
    { name: "PK", vendor: GLOBAL, attributes: AUTHENTICATED, data: pk },
    { name: "KEK", vendor: GLOBAL, attributes: AUTHENTICATED, data: kek },
    { name: "db", vendor: SECURITY, attributes: AUTHENTICATED, data: db },
    { name: "dbx", vendor: SECURITY, attributes: AUTHENTICATED, data: dbx },
    { name: "SbatLevel", vendor: SHIM, attributes: NV_BS, data: Buffer.from(sbatLevel, "latin1") },
  ];
  const enable = { name: "SecureBootEnable", vendor: ENABLE, attributes: NV_BS, data: Uint8Array.of(enabled ? 1 : 0) };
  return [...lists.filter(({ data }) => data.length > 0), enable];
}

/** The variables that a flash file has. */
export function readVariables(flash: Buffer): Variable[] {
  const store = flash.subarray(flash.readUInt16LE(0x30));
  const found: Variable[] = [];
  for (let at = 28; store.readUInt16LE(at) === 0x55aa; ) {
    const [nameBytes, dataBytes] = [store.readUInt32LE(at + 36), store.readUInt32LE(at + 40)];
    const dataAt = at + 60 + nameBytes;
    // Only what is in force: VAR_ADDED, without the bits that mark it as deleted.
    if (store.readUInt8(at + 2) === 0x3f)
      found.push({
        name: store.toString("utf16le", at + 60, dataAt - 2),
        vendor: guidText(store.subarray(at + 44, at + 60)),
        attributes: store.readUInt32LE(at + 4),
        data: new Uint8Array(store.subarray(dataAt, dataAt + dataBytes)),
      });
    at = aligned(dataAt + dataBytes);
  }
  return found;
}

function guidText(bytes: Buffer): string {
  const reversed = (from: number, to: number) => Buffer.from(bytes.subarray(from, to)).reverse().toString("hex");
  return [reversed(0, 4), reversed(4, 6), reversed(6, 8), bytes.toString("hex", 8, 10), bytes.toString("hex", 10)].join(
    "-",
  );
}

/** A flash file with some more variables, behind those that it has. Throws where it has no such store, or no room. */
export function withVariables(flash: Buffer, variables: Variable[]): Buffer {
  const out = Buffer.from(flash);
  const volumeHeader = out.readUInt16LE(0x30);
  const store = out.subarray(volumeHeader);
  if (!store.subarray(0, 16).equals(guidBytes(STORE))) throw new Error("There is no variable store.");
  const end = store.readUInt32LE(16);
  let at = 28;
  while (store.readUInt16LE(at) === 0x55aa)
    at = aligned(at + 60 + store.readUInt32LE(at + 36) + store.readUInt32LE(at + 40));
  for (const { name, vendor, attributes, data } of variables) {
    const text = Buffer.from(`${name}\0`, "utf16le");
    if (at + 60 + text.length + data.length > end) throw new Error("The variable store is full.");
    store.fill(0, at, at + 60);
    store.writeUInt16LE(0x55aa, at);
    // Header written, variable added: VAR_ADDED.
    store.writeUInt8(0x3f, at + 2);
    store.writeUInt32LE(attributes, at + 4);
    if (attributes === AUTHENTICATED) {
      store.writeUInt16LE(2026, at + 16);
      store.writeUInt8(1, at + 18);
      store.writeUInt8(1, at + 19);
    }
    store.writeUInt32LE(text.length, at + 36);
    store.writeUInt32LE(data.length, at + 40);
    store.set(guidBytes(vendor), at + 44);
    text.copy(store, at + 60);
    Buffer.from(data).copy(store, at + 60 + text.length);
    at = aligned(at + 60 + text.length + data.length);
  }
  return out;
}

function aligned(at: number): number {
  return (at + 3) & ~3;
}
