/** SMBIOS tables as dmidecode dumps them, so that dmidecode itself makes the texts. Source: DSP0134 3.x, 5.2.1 and 7. */
type Structure = { type: number; body: number[]; strings: string[] };

const ENTRY_BYTES = 0x20;

/** The file that `dmidecode --from-dump` reads: a 32-bit entry point, then the structures. */
export function smbiosDump(structures: Structure[]): Uint8Array {
  const table = [...structures, { type: 127, body: [], strings: [] }].flatMap(({ type, body, strings }, handle) => [
    type,
    4 + body.length,
    handle & 0xff,
    handle >> 8,
    ...body,
    ...(strings.length === 0 ? [0, 0] : [...strings.flatMap((text) => [...Buffer.from(text, "latin1"), 0]), 0]),
  ]);
  const entry = Buffer.alloc(ENTRY_BYTES);
  entry.write("_SM_", 0, "latin1");
  entry[5] = 0x1f;
  entry[6] = 3;
  entry[7] = 0;
  entry.writeUInt16LE(256, 8);
  entry.write("_DMI_", 16, "latin1");
  entry.writeUInt16LE(table.length, 22);
  entry.writeUInt32LE(ENTRY_BYTES, 24);
  entry.writeUInt16LE(structures.length + 1, 28);
  entry[30] = 0x30;
  const sum = (from: number, to: number) => (256 - (entry.subarray(from, to).reduce((a, b) => a + b, 0) & 0xff)) & 0xff;
  entry[21] = sum(16, 31);
  entry[4] = sum(0, 31);
  return Uint8Array.from([...entry, ...table]);
}

const word = (value: number) => [value & 0xff, (value >> 8) & 0xff];

/** A computer's tables: BIOS, system, chassis, one processor and memory modules of so many megabytes. */
export function computerTables(computer: {
  biosVendor: string;
  biosVersion: string;
  make: string;
  model: string;
  serial: string;
  assetTag: string;
  chassis: number;
  cpu: string;
  memoryMb: number[];
}): Structure[] {
  return [
    {
      type: 0,
      body: [1, 2, ...word(0xe000), 3, 0xff, 0, 0, 0, 0, 0, 0, 0, 0],
      strings: [computer.biosVendor, computer.biosVersion, "02/11/2025"],
    },
    {
      type: 1,
      body: [1, 2, 0, 3, ...new Array(16).fill(0x11), 6],
      strings: [computer.make, computer.model, computer.serial],
    },
    { type: 3, body: [1, computer.chassis, 0, 2, 3, 3, 3, 3, 3], strings: [computer.make, "CH-1", computer.assetTag] },
    {
      type: 4,
      body: [1, 3, 0xb3, 2, ...new Array(8).fill(0), 3, 0, ...word(100), ...word(3000), ...word(2000), 0x41, 6],
      strings: ["SOCKET0", "Norlight", computer.cpu],
    },
    ...computer.memoryMb.map((megabytes, index) => ({
      type: 17,
      body: [
        ...word(0x1000),
        ...word(0xfffe),
        ...word(64),
        ...word(64),
        ...word(megabytes),
        9,
        0,
        1,
        0,
        26,
        ...word(0x80),
      ],
      strings: [`DIMM ${index}`],
    })),
  ];
}
