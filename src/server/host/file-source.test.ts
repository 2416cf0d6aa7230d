import { createHash } from "node:crypto";
import { appendFileSync, mkdirSync, symlinkSync, truncateSync, writeFileSync } from "node:fs";
import { fileFaultText } from "@/core/words/problems";
import { dice } from "../../../test/support/dice";
import { tempWorkshop } from "../../../test/support/workshop";
import { FileSource, fileFault } from "./file-source";
import { nativeHasher } from "./native-hasher";

const w = tempWorkshop();
const bytes = Uint8Array.from({ length: 10_000 }, (_, at) => (at * 7) % 251);

describe.each([false, true])("a file read by range (waits: %s)", (waits) => {
  test("gives what is there, from where it is, and never more than there is", async () => {
    writeFileSync(w.path("a.bin"), bytes);
    const source = await FileSource.open(w.path("a.bin"), { waits });
    const roll = dice(41);
    for (let run = 0; run < 200; run++) {
      const [offset, length] = [roll(11_000), roll(4000)];
      expect([offset, length, await source.read(offset, length)]).toEqual([
        ...[offset, length, bytes.slice(offset, offset + length)],
      ]);
    }
    for (const [offset, length] of [
      [-1, 10],
      [10, -1],
      [Number.NaN, 10],
      [10, Number.NaN],
      [Number.POSITIVE_INFINITY, 1],
    ] as const)
      expect(await source.read(offset, length)).toEqual(new Uint8Array(0));
    const into = new Uint8Array(100).fill(255);
    expect(await source.readInto(9_950, into)).toBe(50);
    expect([...into.slice(0, 50)]).toEqual([...bytes.slice(9_950)]);
    expect([...into.slice(50)]).toEqual(Array(50).fill(255));
    expect([source.name, source.sizeBytes]).toEqual(["a.bin", bytes.length]);
    await source.close();
  });

  test("a file that shrinks while it is read gives what is left; one that grows is as large as it was", async () => {
    writeFileSync(w.path("b.bin"), bytes);
    const source = await FileSource.open(w.path("b.bin"), { waits });
    truncateSync(w.path("b.bin"), 4000);
    expect(await source.read(3000, 5000)).toEqual(bytes.slice(3000, 4000));
    expect(await source.read(5000, 10)).toEqual(new Uint8Array(0));
    appendFileSync(w.path("b.bin"), new Uint8Array(20_000));
    expect((await source.read(0, 50_000)).length).toBe(bytes.length);
    await source.close();
  });
});

test("several are opened together, or none of them", async () => {
  writeFileSync(w.path("one"), "1");
  writeFileSync(w.path("two"), "22");
  const both = await FileSource.openAll([w.path("one"), w.path("two")]);
  expect(both.map(({ sizeBytes }) => sizeBytes)).toEqual([1, 2]);
  for (const source of both) await source.close();
  await expect(FileSource.openAll([w.path("one"), w.path("none")])).rejects.toMatchObject({ code: "ENOENT" });
  expect(await FileSource.openAll([])).toEqual([]);
});

test("what cannot be opened says why in words, without a code", async () => {
  mkdirSync(w.path("folder"));
  symlinkSync("nowhere", w.path("dangling"));
  writeFileSync(w.path("plain"), "x");
  const problem = (path: string) =>
    FileSource.open(path).then(
      () => "opened",
      (error: unknown) => fileFaultText(fileFault(error)),
    );
  expect(await problem(w.path("folder"))).toBe("it is a folder, not a file");
  expect(await problem(w.path("dangling"))).toBe("no such file");
  expect(await problem(w.path("plain/inside"))).toBe("a part of its path is not a folder");
  expect(await problem(w.path("n".repeat(300)))).toBe("name too long");
  expect(fileFaultText(fileFault(Object.assign(new Error("ENOSPC: no space"), { code: "ENOSPC" })))).toBe(
    "no space left",
  );
  expect(fileFaultText(fileFault("odd"))).toBe("odd");
});

// FIPS 180-4 and RFC 1321 as Node's OpenSSL has them; the same bytes in pieces are the same digest.
test.each(["md5", "sha1", "sha256", "sha384", "sha512"] as const)("%s in pieces is %s of the whole", async (name) => {
  const hasher = await nativeHasher(name);
  for (let at = 0; at < bytes.length; at += 777) hasher.update(bytes.subarray(at, at + 777));
  expect(hasher.digest()).toBe(createHash(name).update(bytes).digest("hex"));
});
