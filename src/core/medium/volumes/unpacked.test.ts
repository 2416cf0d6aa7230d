import { readFileSync, writeFileSync } from "node:fs";
import { run } from "../../../../scripts/media/workshop";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { MemorySource } from "../../kernel/source";
import { inspect } from "../inspection/inspect";
import { startPathsOf } from "../inspection/start-paths";
import { listVolumes } from "./listing";
import { unpackedOf, volumesInside } from "./unpacked";

const w = tempWorkshop();
let disk = "";
beforeAll(() => {
  const esp = w.fat("esp.fat", 34, 32, { "EFI/BOOT/BOOTX64.EFI": w.efi("x64"), "NOTES.TXT": w.efi("ia32") }, [
    "-s",
    "1",
  ]);
  disk = w.gpt("disk.img", 40, ["-n", "1:2048:+34M", "-t", "1:ef00"], { 1: esp });
});

// Reference: gzip, zstd and xz of Debian's packages.
describe.each([
  ["gzip", "gz", ["-k", "-f"]],
  ["zstd", "zst", ["-q", "-k", "-f"]],
  ["xz", "xz", ["-k", "-f", "-T1"]],
])("what %s packed", (tool, ending, options) => {
  let packed = "";
  beforeAll(() => {
    run(tool, [...options, disk]);
    packed = `${disk}.${ending}`;
  });

  test("is listed as the disk itself is", async () => {
    const own = await listVolumes(await volumesInside(memory(disk)));
    expect(own.volumes[0]?.entries.map(([path]) => path)).toContain("/NOTES.TXT");
    expect(await listVolumes(await volumesInside(memory(packed)))).toEqual(own);
    const unpacked = await unpackedOf(memory(packed));
    const bytes = readFileSync(disk);
    expect(unpacked).toMatchObject({ compression: tool, isWhole: true, source: { sizeBytes: bytes.length } });
    for (const [at, length] of [
      [0, 4096],
      [1 << 20, 200_000],
      [bytes.length - 700, 4096],
    ] as const)
      expect(Buffer.from((await unpacked?.source.read(at, length)) ?? [])).toEqual(bytes.subarray(at, at + length));
  });

  test("starts nothing as it is, and says that it is compressed", async () => {
    const { inspection } = await inspect(memory(packed), { name: "disk" });
    expect(inspection.findings[0]).toMatchObject({ code: "compressed", compression: tool });
    expect(startPathsOf(inspection)).toEqual([]);
  });

  test("cut short, its beginning is there", async () => {
    const bytes = readFileSync(packed);
    const unpacked = await unpackedOf(new MemorySource(bytes.subarray(0, bytes.length >> 1)));
    expect(unpacked?.isWhole).toBe(false);
    expect(unpacked?.source.sizeBytes).toBeLessThan(40 << 20);
  });
});

test("no more is kept than asked for, and what is empty costs nothing", async () => {
  const noise = w.path("noise.bin");
  writeFileSync(noise, Buffer.from(Array.from({ length: 3 << 20 }, (_, at) => (at * 2_654_435_761) >>> 24)));
  run("gzip", ["-k", "-f", noise]);
  expect((await unpackedOf(memory(`${noise}.gz`), 1 << 20))?.isWhole).toBe(false);
  expect(await unpackedOf(memory(noise))).toBeNull();
  expect(await volumesInside(memory(noise))).toEqual([]);
});
