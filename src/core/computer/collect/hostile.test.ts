import { allowing, revoking } from "../../../../scripts/demo/signers";
import { damaged, dice } from "../../../../test/support/dice";
import { readCertificate } from "../../crypto/certificate";
import { readSignatureLists } from "../../formats/efi-signature-list";
import { readLoadOption } from "../../formats/load-option";
import { documentProblemText, leftOutFactText } from "../../words/collect";
import { applyMerge, NO_PROVENANCE, observationSchema } from "../facts/merge";
import { factsSchema } from "../facts/schema";
import { summariseList } from "../secure-boot/lists";
import { gather, readDocument } from "./read";

const text = (content: string) => new TextEncoder().encode(content);
const lists = new Uint8Array(Buffer.from(`${allowing("norlight2011", "kittiwake")}`, "base64"));
const GLOBAL = "8be4df61-93ca-11d2-aa0d-00e098032b8c";

/** One sound document of each kind. */
const DOCUMENTS: Record<string, Uint8Array> = {
  "lsblk.json": text(
    '{"blockdevices":[{"name":"sda","size":500107862016,"type":"disk","rm":false,"tran":"sata","serial":"A","pttype":"gpt","children":[{"name":"sda1","size":"260M","type":"part","fstype":"vfat","start":2048,"fsused":"1G"},{"name":"sda2","size":499000000000,"type":"part","fstype":"crypto_LUKS","children":[{"name":"x","type":"crypt","fsused":5}]}]}]}',
  ),
  "sfdisk.json": text(
    '{"partitiontable":{"label":"dos","device":"/dev/sda","unit":"sectors","sectorsize":512,"partitions":[{"node":"/dev/sda1","start":2048,"size":4096,"type":"7","bootable":true}]}}',
  ),
  "sfdisk.txt": text(
    'label: gpt\nlabel-id: X\ndevice: /dev/nvme0n1\nunit: sectors\nfirst-lba: 34\nsector-size: 512\n\n/dev/nvme0n1p1 : start= 2048, size= 532480, type=C12A7328-F81F-11D2-BA4B-00A0C93EC93B, uuid=Y, name="EFI, system"\n',
  ),
  "dmidecode.txt": text(
    "# dmidecode 3.4\nHandle 0x0001, DMI type 1, 27 bytes\nSystem Information\n\tManufacturer: Corvane\n\tSerial Number: 1\n\nHandle 0x0003, DMI type 3, 22 bytes\nChassis\n\tType: Notebook\n\nHandle 0x0011, DMI type 17, 40 bytes\nMemory Device\n\tSize: 16 GB\n",
  ),
  "lspci.txt": text(
    "Slot:\t00:0e.0\nClass:\tRAID bus controller [0104]\nVendor:\tIntel Corporation [8086]\nDevice:\tVMD [9a0b]\nSVendor:\tSubsystem [1028]\nSDevice:\tDevice [0ab0]\nProgIf:\t00\n\nSlot:\t01:00.0\nClass:\tx [0108]\nVendor:\tv [144d]\nDevice:\td [a808]\n",
  ),
  "os-release": text('NAME="Kittiwake"\nVERSION_ID="9"\nVARIANT=\'Bridge\'\n'),
  "facts.json": text(
    '{"schema":"creel.facts/1","computer":{"make":"Corvane"},"firmware":{"kind":"uefi","secureBoot":{"state":"on","db":"AAAA"}},"disks":[{"name":"sda","bytes":5,"partitions":[{"number":1,"bytes":4}]}]}',
  ),
  "db.esl": lists,
  "db-d719b2cb-3d3a-4596-a3bc-dad00e67656f": Uint8Array.from([0x27, 0, 0, 0, ...lists]),
  [`Boot0001-${GLOBAL}`]: Uint8Array.from([
    7, 0, 0, 0, 1, 0, 0, 0, 18, 0, 65, 0, 0, 0, 4, 4, 14, 0, 92, 0, 97, 0, 46, 0, 101, 0, 0, 0, 0x7f, 0xff, 4, 0,
  ]),
  [`BootOrder-${GLOBAL}`]: Uint8Array.from([7, 0, 0, 0, 1, 0, 3, 0]),
};
const AT = "2026-03-01T08:00:00.000Z";

test.each(Object.entries(DOCUMENTS))("%s as it is, is read", (name, bytes) => {
  expect(readDocument({ name, bytes, at: AT })).toMatchObject({ ok: true });
});

test.each(Object.entries(DOCUMENTS))("%s, damaged 400 times: a reading that fits, or a sentence", (name, bytes) => {
  const roll = dice(bytes.length);
  let [read, refused] = [0, 0];
  for (let round = 0; round < 400; round++) {
    const reading = readDocument({ name, bytes: damaged(bytes, roll), at: AT });
    if (!reading.ok) {
      expect(documentProblemText(reading.problem)).toMatch(/^[\p{Lu}“].{8,}/u);
      refused++;
      continue;
    }
    read++;
    // What was read can be sent, merged, and is facts again, whatever was in it.
    const sent = observationSchema.parse(JSON.parse(JSON.stringify(reading.observation)));
    const { facts, left } = applyMerge(null, NO_PROVENANCE, gather([sent]));
    expect(factsSchema.safeParse(facts).success).toBe(true);
    for (const each of left) expect(leftOutFactText(each).length).toBeGreaterThan(10);
  }
  // Damage leaves some of them readable; what binary forms hold is free in the most of it.
  expect(read).toBeGreaterThan(5);
  expect(read + refused).toBe(400);
});

test("lists, certificates and start entries, damaged: nothing is thrown, offsets are inside", async () => {
  const roll = dice(7);
  const whole = new Uint8Array(Buffer.from(revoking(3, "gannet2011"), "base64"));
  const certificate = readSignatureLists(lists).entries[0]?.data as Uint8Array;
  expect(readCertificate(certificate)).toMatchObject({ name: "Norlight Third Party CA 2011" });
  for (let round = 0; round < 150; round++) {
    const { entries, fault } = readSignatureLists(damaged(whole, roll));
    if (fault) expect(fault.at).toBeLessThanOrEqual(whole.length);
    for (const entry of entries) expect(entry.data.length).toBeLessThanOrEqual(whole.length);
    const summary = summariseList(damaged(lists, roll));
    expect(summary.certificates.length + summary.digests + summary.others).toBeLessThanOrEqual(100_000);
    const read = readCertificate(damaged(certificate, roll));
    if (read) expect(read.sha256).toMatch(/^[0-9a-f]{64}$/);
    const option = readLoadOption(damaged(DOCUMENTS[`Boot0001-${GLOBAL}`] as Uint8Array, roll));
    if (option) expect(typeof option.description).toBe("string");
  }
});

test("nesting without end is no way to bring it down", () => {
  const deep = `{"blockdevices":${'[{"name":"sda","size":1,"type":"disk","children":'.repeat(3000)}[]${"}]".repeat(3000)}}`;
  expect(readDocument({ name: "deep.json", bytes: text(deep), at: AT })).toMatchObject({ ok: true });
});

test("more than any tool says is told as too large", () => {
  const reading = readDocument({ name: "disk.img", bytes: new Uint8Array(17 * 2 ** 20), at: AT });
  expect(reading).toMatchObject({ ok: false, problem: { code: "too-large" } });
});
