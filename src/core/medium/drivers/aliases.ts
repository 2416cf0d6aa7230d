import { Fields, latin1 } from "../../kernel/fields";
import { itemAt } from "../../kernel/item-at";
import { normalised } from "./glob";

/** Which driver claims which devices: a pattern of modaliases, or a hardware id of an .inf file. */
export interface Claim {
  pattern: string;
  driver: string;
}

/** Real lists have up to some forty thousand. */
const CLAIMS_MAX = 500_000;

/** depmod's `modules.alias`: "alias PATTERN MODULE" a line (modules.alias is described by depmod(8) and modprobe.d(5)). */
export function readModulesAlias(text: string): Claim[] {
  const claims: Claim[] = [];
  for (const line of text.split("\n")) {
    if (!line.startsWith("alias ") || claims.length >= CLAIMS_MAX) continue;
    const end = line.lastIndexOf(" ");
    const pattern = line.slice(6, end).trim();
    const driver = line.slice(end + 1).trim();
    // Names for the kernel's own use ("fs-…", "net-pf-…") claim no device.
    if (pattern && driver) claims.push({ pattern: normalised(pattern), driver });
  }
  return claims;
}

/** The kernel's `modules.builtin.modinfo`: "module.key=value", each ended by NUL (Documentation/kbuild/kbuild.rst). */
export function readBuiltinModinfo(text: string): Claim[] {
  const claims: Claim[] = [];
  for (const item of text.split("\0")) {
    const found = /^([^.=]+)\.alias=(.*)$/s.exec(item);
    if (found && claims.length < CLAIMS_MAX)
      claims.push({ pattern: normalised(itemAt(found, 2)), driver: itemAt(found, 1) });
  }
  return claims;
}

/** "alias" entries of a module's own `.modinfo` section, found without reading the ELF file's structure. */
export function readModuleAliases(bytes: Uint8Array, driver: string): Claim[] {
  const claims: Claim[] = [];
  const text = new TextDecoder("latin1").decode(bytes);
  for (let at = text.indexOf(ALIAS); at >= 0 && claims.length < CLAIMS_MAX; at = text.indexOf(ALIAS, at + 1)) {
    const from = at + ALIAS.length;
    const end = text.indexOf("\0", from);
    if (end > from && end - from <= 1000) claims.push({ pattern: normalised(text.slice(from, end)), driver });
  }
  return claims;
}

const ALIAS = "\0alias=";
const INDEX_MAGIC = 0xb007f457;
const INDEX_MAJOR = 2;
const NODE = { prefix: 0x80000000, values: 0x40000000, children: 0x20000000, offset: 0x0fffffff };
const DEPTH_MAX = 2048;

/** `modules.alias.bin`: kmod's trie of the same lines (libkmod/libkmod-index.c); null where it is none. */
export function readAliasIndex(bytes: Uint8Array): Claim[] | null {
  const fields = new Fields(bytes);
  if (bytes.length < 12 || fields.u32be(0) !== INDEX_MAGIC || fields.u32be(4) >>> 16 !== INDEX_MAJOR) return null;
  const claims: (Claim & { order: number })[] = [];
  const pending: { node: number; path: string }[] = [{ node: fields.u32be(8), path: "" }];
  // Each node is met once in a sound file; one that is met again would lead round in a circle.
  const seen = new Set<number>();
  while (pending.length > 0 && claims.length < CLAIMS_MAX) {
    const { node, path } = pending.pop() as { node: number; path: string };
    let at = node & NODE.offset;
    if (at === 0 || seen.has(at) || path.length > DEPTH_MAX) continue;
    seen.add(at);
    let target = path;
    if (node & NODE.prefix) {
      const end = bytes.indexOf(0, at);
      if (end < 0 || end - at > DEPTH_MAX) continue;
      target += latin1(bytes.subarray(at, end));
      at = end + 1;
    }
    if (node & NODE.children) {
      if (at + 2 > bytes.length) continue;
      const [first, last] = [fields.u8(at), fields.u8(at + 1)];
      at += 2;
      if (last < first || at + (last - first + 1) * 4 > bytes.length) continue;
      for (let char = first; char <= last; char++) {
        pending.push({ node: fields.u32be(at), path: target + String.fromCharCode(char) });
        at += 4;
      }
    }
    if (!(node & NODE.values) || at + 4 > bytes.length) continue;
    const count = fields.u32be(at);
    at += 4;
    for (let i = 0; i < count && at + 5 <= bytes.length; i++) {
      const end = bytes.indexOf(0, at + 4);
      if (end < 0) break;
      claims.push({ pattern: target, driver: latin1(bytes.subarray(at + 4, end)), order: fields.u32be(at) });
      at = end + 1;
    }
  }
  return claims.sort((a, b) => a.order - b.order).map(({ pattern, driver }) => ({ pattern, driver }));
}
