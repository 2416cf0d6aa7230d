import { existsSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { basename, join } from "node:path";
import { run } from "../../../../scripts/media/workshop";
import { certificate } from "../../../../test/support/certificate";
import { computerTables, smbiosDump } from "../../../../test/support/smbios";
import { tempWorkshop } from "../../../../test/support/workshop";
import { readGptHeader } from "../../formats/gpt";
import { MemorySource } from "../../kernel/source";
import { documentNoteText, documentProblemText } from "../../words/collect";
import { applyMerge, NO_PROVENANCE } from "../facts/merge";
import type { Facts } from "../facts/schema";
import type { Document, DocumentReading } from "./document";
import { gather, readDocument } from "./read";

const w = tempWorkshop();
const AT = "2026-03-01T08:00:00.000Z";
const document = (content: string | Uint8Array, name = ""): Document => ({
  name,
  at: AT,
  bytes: typeof content === "string" ? new TextEncoder().encode(content) : new Uint8Array(content),
});
function good(reading: DocumentReading): Extract<DocumentReading, { ok: true }> {
  if (!reading.ok) throw new Error(documentProblemText(reading.problem));
  return reading;
}
const read = (content: string | Uint8Array, name = "") => good(readDocument(document(content, name)));
function factsOf(...contents: (string | Uint8Array)[]): Facts {
  const observations = contents.map((content) => read(content).observation);
  return applyMerge(null, NO_PROVENANCE, gather(observations)).facts;
}

describe("dmidecode", () => {
  const tables = {
    biosVendor: "Norlight Firmware",
    biosVersion: "2.18",
    make: "Corvane",
    model: "Slate 14",
    serial: "COR4411",
    assetTag: "QX-014",
    chassis: 10,
    cpu: "Norlight N5",
    memoryMb: [8192, 0, 8192],
  };
  const dmidecode = (change: object = {}) => {
    writeFileSync(w.path("dmi.bin"), smbiosDump(computerTables({ ...tables, ...change })));
    return run("dmidecode", ["--from-dump", w.path("dmi.bin")]);
  };

  test("its text, as the tool itself writes it from tables, gives make, model, form, firmware and memory", () => {
    const reading = read(dmidecode());
    expect(reading.kind).toBe("dmidecode");
    expect(factsOf(dmidecode())).toMatchObject({
      computer: { tag: "QX-014", make: "Corvane", model: "Slate 14", serial: "COR4411", form: "laptop" },
      firmware: { vendor: "Norlight Firmware", version: "2.18", kind: null },
      cpu: { name: "Norlight N5" },
      memoryBytes: 16 * 2 ** 30,
    });
  });

  test.each([
    [3, "desktop"],
    [9, "laptop"],
    [30, "tablet"],
    [23, "server"],
    [13, "desktop"],
    [35, "desktop"],
    [34, "other"],
    [2, null],
  ])("chassis type %i is a %s (SMBIOS 3.x, 7.4.1)", (chassis, form) => {
    expect(factsOf(dmidecode({ chassis })).computer.form).toBe(form);
  });

  test("what makers leave in empty fields is not taken for a value", () => {
    const facts = factsOf(
      dmidecode({
        make: "To Be Filled By O.E.M.",
        model: "System Product Name",
        serial: "Default string",
        assetTag: "No Asset Tag",
      }),
    );
    expect(facts.computer).toMatchObject({ make: null, model: null, serial: "CH-1", tag: null });
  });
});

describe("lsblk and sfdisk", () => {
  /** A GPT that sgdisk makes; sfdisk tells it twice, and the bytes are read by our own reader. */
  const gpt = w.blank("gpt.img", 64);
  run("sgdisk", [
    "-n",
    "1:2048:+16M",
    "-t",
    "1:ef00",
    "-c",
    "1:EFI system",
    "-n",
    "2:0:+8M",
    "-t",
    "2:2700",
    "-n",
    "3:0:0",
    "-t",
    "3:8304",
    gpt,
  ]);
  const dump = run("sfdisk", ["--dump", gpt]);
  const json = run("sfdisk", ["--json", gpt]);
  const asDevice = (text: string) => text.replaceAll(gpt, "/dev/sda");

  test("the dump and the JSON of sfdisk say the same, and what the table on the disk says", async () => {
    const [fromDump, fromJson] = [read(asDevice(dump)), read(asDevice(json))];
    expect([fromDump.kind, fromJson.kind]).toEqual(["sfdisk-dump", "sfdisk-json"]);
    expect(fromDump.observation.values).toEqual(fromJson.observation.values);
    const table = await readGptHeader(new MemorySource(new Uint8Array(readFileSync(gpt))), 1, 512);
    const values = new Map(fromDump.observation.values);
    const entries = table.ok ? table.header.entries : [];
    expect(entries.length).toBe(3);
    expect(values.get("disks/sda/partitions/1/role")).toBe("esp");
    expect(values.get("disks/sda/partitions/2/role")).toBe("recovery");
    expect(values.get("disks/sda/partitions/3/role")).toBe("system");
    expect(values.get("disks/sda/partitions/1/label")).toBe("EFI system");
    for (const [index, entry] of entries.entries()) {
      expect(values.get(`disks/sda/partitions/${index + 1}/type`)).toBe(entry.type);
      expect(values.get(`disks/sda/partitions/${index + 1}/start`)).toBe(entry.startLba * 512);
      expect(values.get(`disks/sda/partitions/${index + 1}/bytes`)).toBe((entry.endLba - entry.startLba + 1) * 512);
    }
  });

  test("an MBR: active flag, types as numbers, the extended partition left out, logical ones kept", () => {
    const mbr = w.blank("mbr.img", 64);
    run("sfdisk", ["--quiet", mbr], {
      input:
        "label: dos\nstart=2048,size=16384,type=7,bootable\nsize=8192,type=27\ntype=5\nsize=4096,type=82\nsize=4096,type=83\n",
    });
    const facts = factsOf(
      JSON.stringify({ blockdevices: [{ name: "sda", size: 67108864, type: "disk", tran: "sata", rm: false }] }),
      run("sfdisk", ["--dump", mbr]).replaceAll(mbr, "/dev/sda"),
    );
    expect(facts.disks).toMatchObject([{ name: "sda", table: "mbr", bytes: 67108864, sectorBytes: 512 }]);
    expect(facts.disks?.[0]?.partitions.map(({ number, type, active, role }) => [number, type, active, role])).toEqual([
      [1, "0x07", true, null],
      [2, "0x27", false, "recovery"],
      [5, "0x82", false, "swap"],
      [6, "0x83", false, null],
    ]);
  });

  test("a dump of before 2.26: the disk in a comment, free slots of size 0, types without 0x", () => {
    const old = [
      "# partition table of /dev/sda",
      "unit: sectors",
      "",
      "/dev/sda1 : start=     2048, size=    16384, Id= 7, bootable",
      "/dev/sda2 : start=    18432, size=     8192, Id=27",
      "/dev/sda3 : start=        0, size=        0, Id= 0",
      "/dev/sda4 : start=        0, size=        0, Id= 0",
      "",
    ].join("\n");
    const values = new Map(read(old).observation.values);
    expect(values.get("disks/sda/table")).toBe("mbr");
    expect(values.get("disks/sda/partitions/1/active")).toBe(true);
    expect(values.get("disks/sda/partitions/2/role")).toBe("recovery");
    expect([...values.keys()].some((path) => /partitions\/[34]\//.test(path))).toBe(false);
  });

  test("this machine's own lsblk gives every disk with the size that the kernel tells", () => {
    const output = run("lsblk", ["--json", "--bytes", "-O"]);
    const disks = new Map(read(output).observation.values);
    const names = readdirSync("/sys/block").filter((name) => /^(sd|vd|nvme|mmcblk|xvd)/.test(name));
    for (const name of names) {
      const bytes = Number(readFileSync(`/sys/block/${name}/size`, "utf8")) * 512;
      expect(disks.get(`disks/${name}/bytes`)).toBe(bytes === 0 ? undefined : bytes);
    }
    expect([...disks.keys()].filter((path) => /disks\/(zram|loop|sr)/.test(path))).toEqual([]);
  });

  const laptop = (size: (bytes: number, short: string) => unknown) => ({
    blockdevices: [
      { name: "loop0", size: size(4096, "4K"), type: "loop", rm: false },
      { name: "sr0", size: size(1073741312, "1024M"), type: "rom", rm: true },
      {
        name: "sdb",
        size: size(31914983424, "29.7G"),
        type: "disk",
        rm: true,
        tran: "usb",
        model: "Stick",
        serial: "U1",
      },
      {
        name: "nvme0n1",
        size: size(256060514304, "238.5G"),
        type: "disk",
        rm: false,
        tran: "nvme",
        model: "Halyde 256",
        serial: "N1",
        pttype: "gpt",
        children: [
          {
            name: "nvme0n1p1",
            size: size(272629760, "260M"),
            type: "part",
            fstype: "vfat",
            fsver: "FAT32",
            parttype: "c12a7328-f81f-11d2-ba4b-00a0c93ec93b",
            fsused: size(33554432, "32M"),
          },
          {
            name: "nvme0n1p2",
            size: size(255785435136, "238.2G"),
            type: "part",
            fstype: "crypto_LUKS",
            children: [
              {
                name: "root",
                type: "crypt",
                size: size(255768657920, "238.2G"),
                fstype: "ext4",
                fsused: size(41231686041, "38.4G"),
              },
            ],
          },
        ],
      },
    ],
  });

  test("encrypted volumes, what is used inside them, an optical drive, and a stick that is attached from outside", () => {
    const facts = factsOf(JSON.stringify(laptop((bytes) => bytes)));
    expect(facts.disks).toMatchObject([
      {
        name: "nvme0n1",
        bytes: 256060514304,
        bus: "nvme",
        partitions: [
          { number: 1, role: "esp", filesystem: "fat32", usedBytes: 33554432 },
          { number: 2, filesystem: "luks", encryption: "luks", usedBytes: 41231686041 },
        ],
      },
    ]);
    expect(facts.ports?.optical).toBe(true);
  });

  test("a list with parents, and names as paths, are the same as the tree", () => {
    const tree = laptop((bytes) => bytes).blockdevices as unknown as { name: string; children?: { name: string }[] }[];
    const flat = tree.flatMap(({ children = [], ...disk }) => [
      { ...disk, name: `/dev/${disk.name}`, pkname: null },
      ...children.map((part) => ({
        ...part,
        children: undefined,
        name: `/dev/${part.name}`,
        pkname: `/dev/${disk.name}`,
      })),
    ]);
    const [one, other] = [
      factsOf(JSON.stringify({ blockdevices: flat })),
      factsOf(JSON.stringify({ blockdevices: tree })),
    ];
    expect(one.disks?.[0]?.partitions.map(({ number, bytes }) => [number, bytes])).toEqual(
      other.disks?.[0]?.partitions.map(({ number, bytes }) => [number, bytes]),
    );
    expect(one.disks?.map((disk) => disk.name)).toEqual(["nvme0n1"]);
  });

  test("dumps of several disks in one file", () => {
    const dump = (disk: string) =>
      `label: gpt\nlabel-id: X\ndevice: /dev/${disk}\nunit: sectors\n\n/dev/${disk}1 : start=2048, size=8, type=C12A7328-F81F-11D2-BA4B-00A0C93EC93B, name="EFI, first"\n`;
    const values = new Map(read(`${dump("sda")}\n${dump("sdb")}`).observation.values);
    expect([values.get("disks/sda/partitions/1/label"), values.get("disks/sdb/partitions/1/role")]).toEqual([
      "EFI, first",
      "esp",
    ]);
  });

  test("rounded sizes are taken with a remark, and say nothing against exact ones", () => {
    const rounded = JSON.stringify(laptop((_bytes, short) => short));
    expect(read(rounded).notes).toEqual([{ code: "sizes-rounded" }]);
    expect(factsOf(rounded).disks?.[0]?.bytes).toBe(Math.round(238.5 * 2 ** 30));
    const exact = JSON.stringify(laptop((bytes) => bytes));
    for (const facts of [factsOf(rounded, exact), factsOf(exact, rounded)])
      expect(facts.disks?.[0]?.bytes).toBe(256060514304);
  });
});

describe("lspci", () => {
  /** Configuration space as `lspci -x` prints it, which `lspci -F` reads: no real bus is needed. */
  function dumpOf(devices: { slot: string; ids: number[]; kind: number[]; sub: number[] }[]): string {
    return devices
      .map(({ slot, ids, kind, sub }) => {
        const space = new Uint8Array(64);
        space.set([
          ids[0] as number & 0xff,
          (ids[0] as number) >> 8,
          (ids[1] as number) & 0xff,
          (ids[1] as number) >> 8,
        ]);
        space.set([kind[2] as number, kind[1] as number, kind[0] as number], 9);
        space.set(
          [(sub[0] as number) & 0xff, (sub[0] as number) >> 8, (sub[1] as number) & 0xff, (sub[1] as number) >> 8],
          0x2c,
        );
        const rows = [0, 16, 32, 48].map(
          (at) =>
            `${at.toString(16).padStart(2, "0")}: ${[...space.subarray(at, at + 16)].map((byte) => byte.toString(16).padStart(2, "0")).join(" ")}`,
        );
        return `${slot} Device\n${rows.join("\n")}\n`;
      })
      .join("\n");
  }

  test("the tool's text gives each device's modalias and its name from pci.ids", () => {
    writeFileSync(
      w.path("pci.txt"),
      dumpOf([
        { slot: "00:0e.0", ids: [0x8086, 0x9a0b], kind: [1, 4, 0], sub: [0x1028, 0x0ab0] },
        { slot: "01:00.0", ids: [0x144d, 0xa808], kind: [1, 8, 2], sub: [0x144d, 0xa801] },
        { slot: "02:00.0", ids: [0x10ec, 0x8168], kind: [2, 0, 0], sub: [0, 0] },
      ]),
    );
    const reading = read(run("lspci", ["-F", w.path("pci.txt"), "-nn", "-mm", "-v"]));
    expect(reading.kind).toBe("lspci");
    const devices = new Map(reading.observation.values).get("devices/pci") as {
      modalias: string;
      class: string;
      name: string;
    }[];
    expect(devices.map(({ modalias, class: use }) => [modalias, use])).toEqual([
      ["pci:v000010ECd00008168sv00000000sd00000000bc02sc00i00", "network"],
      ["pci:v0000144Dd0000A808sv0000144Dsd0000A801bc01sc08i02", "storage"],
      ["pci:v00008086d00009A0Bsv00001028sd00000AB0bc01sc04i00", "storage"],
    ]);
    expect(devices[0]?.name).toMatch(/^Realtek .*RTL8111/);
  });

  const bus = "/sys/bus/pci/devices";
  const modaliases = existsSync(bus)
    ? readdirSync(bus).map((slot) => readFileSync(join(bus, slot, "modalias"), "utf8").trim())
    : [];
  (modaliases.length > 0 ? test : test.skip)("on this machine it gives the very names that the kernel gives", () => {
    const reading = read(run("lspci", ["-nn", "-mm", "-v"]));
    const devices = new Map(reading.observation.values).get("devices/pci") as { modalias: string }[];
    expect(devices.map((each) => each.modalias)).toEqual([...modaliases].sort());
  });

  test("a listing without numbers says how to get them", () => {
    const reading = read("Slot:\t00:00.0\nClass:\tHost bridge\nVendor:\tNorlight\nDevice:\tBridge\n");
    expect(reading.notes.map(documentNoteText).join()).toMatch(/with -nn/);
  });
});

describe("EFI variables and signature lists", () => {
  certificate(w, "/CN=Skerry Test CA/O=Skerry Line", 3650);
  run("cert-to-efi-sig-list", ["-g", "77fa9abd-0359-4d32-bd60-28f4e78f784b", w.path("c.pem"), w.path("db.esl")]);
  writeFileSync(w.path("program.bin"), "not a program");
  const esl = new Uint8Array(readFileSync(w.path("db.esl")));
  const variable = (attributes: number, data: Uint8Array | number[]) => Uint8Array.from([attributes, 0, 0, 0, ...data]);

  test("a list made by the reference tool, and the same as a variable's file, are the same fact", () => {
    const list = read(esl, "db.esl");
    const file = read(variable(0x27, esl), "db-d719b2cb-3d3a-4596-a3bc-dad00e67656f");
    expect([list.kind, file.kind]).toEqual(["signature-list", "efi-variable"]);
    expect(file.observation.values).toEqual(list.observation.values);
    expect(list.observation.values).toEqual([["firmware/secureBoot/db", Buffer.from(esl).toString("base64")]]);
  });

  test("a list whose name says nothing is asked about, not guessed", () => {
    expect(readDocument(document(esl, "list.esl"))).toMatchObject({
      ok: false,
      problem: { code: "list-unnamed" },
    });
  });

  test.each([
    ["DBX.esl", "dbx"],
    ["old-db.esl", "db"],
    ["dbxupdate_x64.esl", "dbx"],
    ["KEK.esl", "kek"],
    ["PKDefault.esl", "pk"],
  ])("%s is the list %s", (name, list) => {
    expect(read(esl, name).observation.values.map(([path]) => path)).toEqual([`firmware/secureBoot/${list}`]);
  });

  test("a list that is cut says where", () => {
    expect(readDocument(document(esl.slice(0, 100), "db.esl"))).toMatchObject({
      ok: false,
      problem: { code: "list-damaged", fault: { code: "list-past-end", at: 0 } },
    });
  });

  /** EFI_LOAD_OPTION with a hard drive node left out: description, one file path node, the end. UEFI 2.10, 3.1.3. */
  function option(text: string, path: string, active = 1): number[] {
    const wide = (value: string) =>
      [...value, "\0"].flatMap((char) => [char.charCodeAt(0) & 0xff, char.charCodeAt(0) >> 8]);
    const node = wide(path);
    const nodes = [4, 4, (node.length + 4) & 0xff, (node.length + 4) >> 8, ...node, 0x7f, 0xff, 4, 0];
    return [active, 0, 0, 0, nodes.length & 0xff, nodes.length >> 8, ...wide(text), ...nodes];
  }

  test("state, order and entries from the files of efivarfs, setup mode before off", () => {
    const guid = "8be4df61-93ca-11d2-aa0d-00e098032b8c";
    const documents: [string, Uint8Array][] = [
      [`SecureBoot-${guid}`, variable(6, [0])],
      [`SetupMode-${guid}`, variable(6, [1])],
      [`BootOrder-${guid}`, variable(7, [3, 0, 1, 0])],
      [`Boot0001-${guid}`, variable(7, option("Network", "", 0))],
      [`Boot0003-${guid}`, variable(7, option("Kittiwake", "\\EFI\\kittiwake\\shimx64.efi"))],
      [
        "SbatLevelRT-605dab50-e046-4300-abb6-3dd810dd8b23",
        variable(6, new TextEncoder().encode("sbat,1,2024010900\nshim,4\ngrub,3\n")),
      ],
    ];
    const readings = documents.map(([name, bytes]) => read(bytes, name).observation);
    const { facts } = applyMerge(null, NO_PROVENANCE, gather(readings));
    expect(facts.firmware).toMatchObject({
      kind: "uefi",
      secureBoot: { state: "setup", sbatLevel: "sbat,1,2024010900\nshim,4\ngrub,3" },
      startOrder: ["0003", "0001"],
      entries: [
        { id: "0001", name: "Network", active: false },
        { id: "0003", name: "Kittiwake", active: true, path: "\\EFI\\kittiwake\\shimx64.efi" },
      ],
    });
  });

  test("every cut and every changed byte of a variable is a reading or a sentence, never an exception", () => {
    const bytes = variable(7, option("Kittiwake", "\\EFI\\k.efi"));
    for (let at = 0; at < bytes.length; at++) {
      const changed = Uint8Array.from(bytes);
      changed[at] = 0xff;
      for (const content of [bytes.slice(0, at), changed]) {
        const reading = readDocument(document(content, "Boot0001-8be4df61-93ca-11d2-aa0d-00e098032b8c"));
        expect(reading.ok || documentProblemText(reading.problem).length > 10).toBe(true);
      }
    }
    const lists = variable(0x27, esl);
    for (let at = 0; at < 60; at++) {
      const changed = Uint8Array.from(lists);
      changed[at] = 0xff;
      const reading = readDocument(document(changed, "db-d719b2cb-3d3a-4596-a3bc-dad00e67656f"));
      expect(reading.ok || documentProblemText(reading.problem).length > 10).toBe(true);
    }
  });
});

describe("os-release", () => {
  test("the one of this machine, and quoting as os-release(5) has it", () => {
    const text = readFileSync("/etc/os-release", "utf8");
    const name = /^NAME="?([^"\n]*)"?$/m.exec(text)?.[1];
    expect(factsOf(text).systems?.[0]).toMatchObject({ family: "linux", name });
    expect(factsOf('NAME=\'Kitti"wake\'\nVERSION_ID="9\\$"\nID=kittiwake\n').systems).toMatchObject([
      { name: 'Kitti"wake', version: "9$" },
    ]);
  });
});

test.each([
  ["", /^Empty file/],
  ["hello", /^Not recognised/],
  ['{"a":1}', /^Unknown kind of JSON/],
  ['{"blockdevices"', /Starts as JSON but is not valid/],
  [
    '{"schema":"creel.facts/1","disks":[{"name":"sda","bytes":1,"partitions":[{"number":1,"bytes":1,"keyPlace":"123456-123456-123456-123456-123456-123456-123456-123456"}]}]}',
    /looks like a recovery key itself/,
  ],
])("%s is not taken, and the sentence says why", (content, problem) => {
  const reading = readDocument(document(content, basename("x.txt")));
  expect(reading.ok ? "taken" : documentProblemText(reading.problem)).toMatch(problem);
});

test("UTF-16 with its mark, as some shells write files, is read as well", () => {
  const text = "NAME=Kittiwake\nVERSION_ID=9\n";
  const bytes = Uint8Array.from([0xff, 0xfe, ...Buffer.from(text, "utf16le")]);
  expect(read(bytes).kind).toBe("os-release");
});
