import { createHash } from "node:crypto";
import { readFileSync, writeFileSync } from "node:fs";
import { run } from "../../../../scripts/media/workshop";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { MemorySource } from "../../kernel/source";
import { checksumFor, readChecksums } from "./checksums";
import { Cancelled, digestSource, wasmHasher } from "./hashing";
import { verifyInner } from "./inner";
import { MANIFEST_BLOCK_BYTES, type Manifest, makeManifest, manifestSchema } from "./manifest";
import { verifyAgainst } from "./verify";

const w = tempWorkshop();
const at = (name: string) => w.path(name);
const noise = (seed: number, length: number) =>
  Uint8Array.from({ length }, (_, i) => (Math.imul(i + seed, 2654435761) >>> 13) & 0xff);
for (const [name, length] of [
  ["one.bin", 3_000_000],
  ["two.bin", 9_000_000],
  ["three.bin", 70_000],
] as const)
  writeFileSync(at(name), noise(length, length));

// Reference: xorriso and mtools write the media, sha256sum and md5sum of coreutils say the digests.
run("sh", [
  "-c",
  `cd ${w.folder} && mkdir -p sums && cp one.bin two.bin sums/ && cd sums && md5sum ./one.bin ./two.bin > md5sum.txt`,
]);
const disc = w.iso(
  "disc.iso",
  { "one.bin": at("one.bin"), "sub/two.bin": at("two.bin"), "three.bin": at("three.bin") },
  [],
);
const bytes = new Uint8Array(readFileSync(disc));
const made = makeManifest(new MemorySource(bytes), { name: "disc.iso" });
const sum = (path: string) => run("sha256sum", [path]).slice(0, 64);

test("a manifest has the digests that sha256sum gives, of the whole, of every file and of every block", async () => {
  const manifest = await made;
  expect(manifestSchema.parse(JSON.parse(JSON.stringify(manifest)))).toEqual(manifest);
  expect(manifest.file).toEqual({ name: "disc.iso", bytes: bytes.length, sha256: sum(disc) });
  expect(Object.fromEntries(manifest.volumes[0]?.files.map((file) => [file.path, file.sha256]) ?? [])).toEqual({
    "/one.bin": sum(at("one.bin")),
    "/sub/two.bin": sum(at("two.bin")),
    "/three.bin": sum(at("three.bin")),
  });
  expect(manifest.blocks).toEqual(
    Array.from({ length: Math.ceil(bytes.length / MANIFEST_BLOCK_BYTES) }, (_, i) =>
      createHash("sha256")
        .update(bytes.subarray(i * MANIFEST_BLOCK_BYTES, (i + 1) * MANIFEST_BLOCK_BYTES))
        .digest("hex"),
    ),
  );
  // Where a file lies is where its content is.
  for (const file of manifest.volumes[0]?.files ?? []) {
    const pieces = (file.at ?? []).map(([start, length]) => bytes.subarray(start, start + length));
    expect(createHash("sha256").update(Buffer.concat(pieces)).digest("hex")).toBe(file.sha256);
  }
});

async function verified(changed: Uint8Array, options = {}) {
  return verifyAgainst(new MemorySource(changed), (await made) as Manifest, options);
}

test("the same bytes are the same, also on a larger stick", async () => {
  expect(await verified(bytes)).toMatchObject({ result: "same", blocks: { extraBytes: 0, differing: [] } });
  const stick = new Uint8Array(bytes.length + 1_000_000);
  stick.set(bytes);
  expect(await verified(stick)).toMatchObject({ result: "same", blocks: { extraBytes: 1_000_000 } });
});

test("one wrong byte is located to its file", async () => {
  const file = (await made).volumes[0]?.files.find((each) => each.path === "/sub/two.bin");
  const changed = bytes.slice();
  const place = (file?.at?.[0]?.[0] ?? 0) + 5_000_000;
  changed[place] = (changed[place] as number) ^ 4;
  const result = await verified(changed);
  expect(result).toMatchObject({
    result: "damaged",
    files: { differing: [{ path: "/sub/two.bin", why: "content" }] },
    blocks: { differing: [{ start: Math.floor(place / MANIFEST_BLOCK_BYTES) * MANIFEST_BLOCK_BYTES }] },
  });
  // Files that lie elsewhere need not be read again.
  expect(result.files.compared).toBeLessThan(3);
});

test("a medium cut short, and one whose folder is gone", async () => {
  const cut = await verified(bytes.slice(0, bytes.length - 6_000_000));
  expect(cut).toMatchObject({ result: "damaged", blocks: { missingBytes: 6_000_000 } });
  expect(cut.files.differing.length).toBeGreaterThan(0);
  const other = w.iso("other.iso", { "one.bin": at("one.bin"), "three.bin": at("two.bin") }, []);
  const result = await verified(new Uint8Array(readFileSync(other)));
  expect(result.files.differing).toEqual(
    expect.arrayContaining([
      expect.objectContaining({ path: "/sub/two.bin", why: "missing" }),
      expect.objectContaining({ path: "/three.bin", why: "size" }),
    ]),
  );
});

test("the same files on a stick that was laid out otherwise", async () => {
  const stick = w.fat("stick.img", 24, 16, {
    "one.bin": at("one.bin"),
    "sub/two.bin": at("two.bin"),
    "three.bin": at("three.bin"),
  });
  expect((await verified(new Uint8Array(readFileSync(stick)))).result).toBe("same-files");
});

test("in part: only what lies below a path is read", async () => {
  const progress: number[] = [];
  const result = await verified(bytes, {
    only: "/sub",
    onProgress: (_done: number, total: number) => progress.push(total) > 0,
  });
  expect(result).toMatchObject({ result: "same-files", files: { compared: 1 } });
  expect(progress[0]).toBe(9_000_000);
});

test("the work can be ended", async () => {
  await expect(
    makeManifest(new MemorySource(bytes), { name: "x", onProgress: (done) => done < 2_000_000 }),
  ).rejects.toThrow(Cancelled);
});

test.each(["md5", "sha1", "sha256", "sha384", "sha512"] as const)("%s is that of coreutils", async (name) => {
  const told = run(`${name}sum`, [at("one.bin")]).split(" ")[0];
  expect(await digestSource(memory(at("one.bin")), name, wasmHasher)).toBe(told);
});

test("sums that a disc carries of its own files", async () => {
  const file = w.iso(
    "sums.iso",
    { "one.bin": at("one.bin"), "two.bin": at("two.bin"), "md5sum.txt": at("sums/md5sum.txt") },
    [],
  );
  expect((await verifyInner(memory(file))).sums).toEqual([{ path: "/md5sum.txt", compared: 2, differing: [] }]);
  const wrong = w.iso("wrong.iso", { "one.bin": at("three.bin"), "md5sum.txt": at("sums/md5sum.txt") }, []);
  expect((await verifyInner(memory(wrong))).sums[0]?.differing.map((each) => [each.path, each.why])).toEqual([
    ["/one.bin", "content"],
    ["/two.bin", "missing"],
  ]);
});

describe("published checksum files", () => {
  // Reference: the forms that coreutils writes, with --tag and without.
  run("sh", [
    "-c",
    `cd ${w.folder} && cp three.bin 'back\\slash.bin' && sha256sum one.bin two.bin > GNU && sha256sum -b two.bin > BIN && sha512sum --tag two.bin > BSD && sha256sum 'back\\slash.bin' > ESC`,
  ]);
  test.each([
    ["GNU", "two.bin", "sha256"],
    ["BIN", "two.bin", "sha256"],
    ["BSD", "two.bin", "sha512"],
    ["ESC", "back\\slash.bin", "sha256"],
  ])("%s", async (file, name, hash) => {
    const found = checksumFor(readChecksums(readFileSync(at(file), "utf8")), name);
    expect(found).toMatchObject({ hash, name });
    expect(found?.digest).toBe(await digestSource(memory(at(name)), hash as "sha256", wasmHasher));
  });

  test("signed ones, with a path, of several methods, and of other files", () => {
    const digest = "ab".repeat(32);
    const signed = `-----BEGIN PGP SIGNED MESSAGE-----\nHash: SHA512\n\n${digest}  ./images/kit.iso\n${"cd".repeat(16)} *kit.iso\n-----BEGIN PGP SIGNATURE-----\n\niQIzBAEBCgAd\n`;
    expect(checksumFor(readChecksums(signed), "kit.iso")).toEqual({ hash: "sha256", digest, name: "images/kit.iso" });
    expect(checksumFor(readChecksums(signed), "other.iso")).toBeNull();
    expect(checksumFor(readChecksums(`${digest}  kit.iso`), "renamed.iso")?.digest).toBe(digest);
    expect(readChecksums("no sums in here\nab  cd\n")).toEqual([]);
  });
});

test("archives on a medium are checked by their own sums, alone and inside a disc", async () => {
  // Reference: wimlib writes the integrity table.
  run("sh", [
    "-c",
    `cd ${w.folder} && mkdir -p images && cp one.bin two.bin images/ && wimcapture images a.wim Images --check --compress=none --quiet && wimcapture images plain.wim Images --quiet`,
  ]);
  const disc = w.iso("wims.iso", { "sources/a.wim": at("a.wim"), "sources/plain.wim": at("plain.wim") }, []);
  expect(await verifyInner(memory(disc))).toMatchObject({
    archives: [
      { path: "/sources/a.wim", result: { state: "whole" } },
      // Two files, and the description of their folder.
      { path: "/sources/plain.wim", result: { state: "by-contents", contents: 3, damaged: 0 } },
    ],
  });
  const bytes = new Uint8Array(readFileSync(at("a.wim")));
  bytes[5_000_000] = (bytes[5_000_000] as number) ^ 1;
  expect(await verifyInner(new MemorySource(bytes))).toMatchObject({
    archives: [{ path: "/", result: { state: "damaged" } }],
  });
  await expect(verifyInner(new MemorySource(bytes), { onProgress: () => false })).rejects.toThrow(Cancelled);
  const plain = new Uint8Array(readFileSync(at("plain.wim")));
  plain[5_000] = (plain[5_000] as number) ^ 1;
  const steps: number[] = [];
  const onProgress = (bytes: number) => steps.push(bytes) > 0;
  expect(await verifyInner(new MemorySource(plain), { onProgress })).toMatchObject({
    archives: [{ path: "/", result: { state: "by-contents", contents: 3, damaged: 1 } }],
  });
  expect(steps.reduce((sum, bytes) => sum + bytes, 0)).toBeLessThanOrEqual(plain.length);
  await expect(verifyInner(new MemorySource(plain), { onProgress: () => false })).rejects.toThrow(Cancelled);
});

test("a folder of three thousand files is compared file by file, and read once", async () => {
  const folder = at("crowd");
  run("sh", [
    "-c",
    `mkdir -p ${folder}/many && cd ${folder}/many && for i in $(seq 3000); do echo "content $i" > "file with number $i.txt"; done`,
  ]);
  const iso = at("crowd.iso");
  run("xorriso", ["-as", "mkisofs", "-quiet", "-R", "-o", iso, folder]);
  const manifest = await makeManifest(memory(iso), { name: "crowd.iso" });
  const stick = w.blank("crowd.img", 24);
  run("mke2fs", ["-q", "-t", "ext4", "-d", folder, stick]);
  const result = await verifyAgainst(memory(stick), manifest);
  expect(result).toMatchObject({ result: "same-files", files: { compared: 3000, differing: [], more: 0 } });
});
