import { MemorySource } from "@/core/kernel/source";
import { elToritoPlatformName, readElTorito } from "./el-torito";

/** A disc of blank sectors with a catalogue in sector 20, record by record. El Torito 1.0, figures 2 to 6. */
function disc(...records: number[][]): MemorySource {
  const bytes = new Uint8Array(40 * 2048);
  for (const [index, record] of records.entries()) bytes.set(record, 20 * 2048 + index * 32);
  return new MemorySource(bytes);
}

function validation(platform = 0, { checksum = true, key = true } = {}): number[] {
  const record = new Array<number>(32).fill(0);
  record[0] = 1;
  record[1] = platform;
  if (key) [record[30], record[31]] = [0x55, 0xaa];
  let sum = 0;
  for (let at = 0; at < 32; at += 2) sum += (record[at] as number) | ((record[at + 1] as number) << 8);
  const rest = (0x10000 - (sum & 0xffff) + (checksum ? 0 : 1)) & 0xffff;
  [record[28], record[29]] = [rest & 0xff, rest >> 8];
  return record;
}

function entry(sector: number, { startable = true, emulation = 0, sectors = 4 } = {}): number[] {
  const record = new Array<number>(32).fill(0);
  record[0] = startable ? 0x88 : 0;
  record[1] = emulation;
  record[6] = sectors;
  record[8] = sector;
  return record;
}

function section(platform: number, entries: number, last: boolean): number[] {
  const record = new Array<number>(32).fill(0);
  [record[0], record[1], record[2]] = [last ? 0x91 : 0x90, platform, entries];
  return record;
}

const EXTENSION = [0x44, ...new Array<number>(31).fill(7)];

test("all sections with all their entries, extension records left out", async () => {
  const source = disc(
    validation(),
    entry(30),
    section(0xef, 2, false),
    entry(31),
    EXTENSION,
    EXTENSION,
    entry(32, { startable: false }),
    section(1, 1, true),
    entry(33, { emulation: 2 }),
    entry(34),
  );
  const catalogue = await readElTorito(source, 20);
  expect(
    catalogue?.entries.map(({ index, platform, startSector, startable, emulation }) => [
      index,
      platform,
      startSector,
      startable,
      emulation,
    ]),
  ).toEqual([
    [0, 0, 30, true, "none"],
    [1, 0xef, 31, true, "none"],
    [2, 0xef, 32, false, "none"],
    [3, 1, 33, true, "floppy-1.44"],
  ]);
  expect(catalogue).toMatchObject({ checksumRight: true, keyRight: true, findings: [] });
});

test.each([
  ["a wrong checksum", validation(0, { checksum: false }), { checksumRight: false, keyRight: true }],
  ["no key bytes", validation(0, { key: false }), { checksumRight: true, keyRight: false }],
  ["another platform", validation(0xef), { platform: 0xef, checksumRight: true }],
])("the validation entry with %s says so", async (_, record, expected) => {
  expect(await readElTorito(disc(record, entry(30)), 20)).toMatchObject(expected);
});

test("a record that is no section header ends the reading with a finding", async () => {
  const catalogue = await readElTorito(disc(validation(), entry(30), entry(31)), 20);
  expect(catalogue?.entries).toHaveLength(1);
  expect(catalogue?.findings).toEqual(["section-header-missing"]);
});

test("a section that says it has more entries than there is room for ends where the room does", async () => {
  const header = section(0xef, 0, true);
  [header[2], header[3]] = [0xff, 0xff];
  const catalogue = await readElTorito(disc(validation(), entry(30), header, entry(31)), 20);
  expect(catalogue?.findings).toEqual(["catalogue-too-long"]);
  expect(catalogue?.entries.length).toBeLessThanOrEqual(256);
});

test("a catalogue outside of the medium is none; one at its very end is cut, not invented", async () => {
  expect(await readElTorito(disc(validation()), 40)).toBeNull();
  expect(await readElTorito(disc(validation()), 0xffff_ffff)).toBeNull();
  const source = disc(validation(), entry(30));
  const cut = new MemorySource((await source.read(0, 20 * 2048 + 64)).slice());
  expect((await readElTorito(cut, 20))?.entries).toHaveLength(1);
});

test("platforms have names; others their number", () => {
  expect([0, 1, 2, 0xef, 0x42].map(elToritoPlatformName)).toEqual(["BIOS", "PowerPC", "Mac", "UEFI", "platform 0x42"]);
});
