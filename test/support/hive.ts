import { writeFileSync } from "node:fs";
import { run, type Workshop } from "../../scripts/media/workshop";

/**
 * A hive with a root and nothing in it, after the published descriptions of the format; what stands in it is merged by
 * hivexregedit, from the text of a .reg file.
 */
export function hive(w: Workshop, name: string, entries: string): string {
  const bytes = Buffer.alloc(8192);
  bytes.write("regf", 0, "latin1");
  bytes.writeUInt32LE(1, 4);
  bytes.writeUInt32LE(1, 8);
  bytes.writeUInt32LE(1, 20);
  bytes.writeUInt32LE(5, 24);
  bytes.writeUInt32LE(1, 32);
  bytes.writeUInt32LE(32, 36);
  bytes.writeUInt32LE(4096, 40);
  bytes.writeUInt32LE(1, 44);
  let sum = 0;
  for (let at = 0; at < 508; at += 4) sum = (sum ^ bytes.readUInt32LE(at)) >>> 0;
  bytes.writeUInt32LE(sum, 508);
  bytes.write("hbin", 4096, "latin1");
  bytes.writeUInt32LE(4096, 4096 + 8);
  // The root, then a security descriptor that it names, then what is free.
  const root = 4096 + 32;
  bytes.writeInt32LE(-96, root);
  bytes.write("nk", root + 4, "latin1");
  bytes.writeUInt16LE(0x2c, root + 6);
  for (const at of [16, 28, 32, 40, 48]) bytes.writeUInt32LE(0xffffffff, root + 4 + at);
  bytes.writeUInt32LE(32 + 96, root + 4 + 44);
  bytes.writeUInt16LE(4, root + 4 + 72);
  bytes.write("Root", root + 4 + 76, "latin1");
  const security = root + 96;
  bytes.writeInt32LE(-48, security);
  bytes.write("sk", security + 4, "latin1");
  bytes.writeUInt32LE(32 + 96, security + 8);
  bytes.writeUInt32LE(32 + 96, security + 12);
  bytes.writeUInt32LE(1, security + 16);
  bytes.writeUInt32LE(20, security + 20);
  bytes.set([1, 0, 0, 0x80], security + 24);
  const free = security + 48;
  bytes.writeInt32LE(8192 - free, free);
  const file = w.path(name);
  writeFileSync(file, bytes);
  // hivexregedit makes a key only below one that is there.
  const withParents = entries.replace(/^\[(HKEY\\.*)\]$/gm, (_, path: string) => {
    const parts = path.split("\\");
    return parts
      .slice(1)
      .map((_part, nth) => `[${parts.slice(0, nth + 2).join("\\")}]`)
      .join("\n\n");
  });
  const text = w.text(`${name}.reg`, `Windows Registry Editor Version 5.00\n\n${withParents}\n`);
  run("hivexregedit", ["--merge", "--prefix", "HKEY", "--encoding", "UTF-16LE", file, text]);
  return file;
}
