import { readFileSync, writeFileSync } from "node:fs";
import { run } from "../../../../scripts/media/workshop";
import { tempWorkshop } from "../../../../test/support/workshop";
import { isSignatureLists, readSignatureLists } from "../../formats/efi-signature-list";
import { listFaultText } from "../../words/signature-lists";
import { factsSchema } from "../facts/schema";
import { summariseList, summariseSecureBoot } from "./lists";
import { readSbatLevel } from "./sbat";

const w = tempWorkshop();
const OWNER = "77fa9abd-0359-4d32-bd60-28f4e78f784b";

function certificate(name: string, days = 3650): { pem: string; esl: Uint8Array } {
  const pem = w.path(`${name}.pem`);
  run("openssl", [
    "req",
    "-x509",
    "-newkey",
    "rsa:2048",
    "-nodes",
    "-keyout",
    w.path(`${name}.key`),
    "-out",
    pem,
    "-subj",
    `/C=IS/O=Skerry Line/CN=${name}`,
    "-days",
    String(days),
  ]);
  run("cert-to-efi-sig-list", ["-g", OWNER, pem, w.path(`${name}.esl`)]);
  return { pem, esl: new Uint8Array(readFileSync(w.path(`${name}.esl`))) };
}

const first = certificate("Skerry Test CA 2011");
const second = certificate("Skerry Test CA 2023", 7300);
const join = (...parts: Uint8Array[]) => Uint8Array.from(parts.flatMap((part) => [...part]));
const base64 = (bytes: Uint8Array) => Buffer.from(bytes).toString("base64");
const firmware = (secureBoot: object) =>
  factsSchema.parse({ schema: "creel.facts/1", firmware: { kind: "uefi", secureBoot } }).firmware;
const openssl = (pem: string, ...what: string[]) =>
  run("openssl", ["x509", "-in", pem, "-noout", ...what])
    .trim()
    .replace(/^\w+=/, "");

/** An EFI_SIGNATURE_LIST of digests with one owner each. UEFI 2.10, 32.4.1. */
function digestList(type: number[], digests: string[], extra = 0): Uint8Array {
  const entry = 16 + 32 + extra;
  const bytes = new Uint8Array(28 + digests.length * entry);
  const view = new DataView(bytes.buffer);
  bytes.set(type);
  view.setUint32(16, bytes.length, true);
  view.setUint32(24, entry, true);
  for (const [index, digest] of digests.entries()) bytes.set(Buffer.from(digest, "hex"), 28 + index * entry + 16);
  return bytes;
}
const SHA256 = [0x26, 0x16, 0xc4, 0xc1, 0x4c, 0x50, 0x92, 0x40, 0xac, 0xa9, 0x41, 0xf9, 0x36, 0x93, 0x43, 0x28];
const X509_SHA256 = [0x92, 0xa4, 0xd2, 0x3b, 0xc0, 0x96, 0x79, 0x40, 0xb4, 0x20, 0xfc, 0xf9, 0x8e, 0xf1, 0x03, 0xed];

test("certificates: name, dates and digest as openssl tells them; the owner that the reference tool was given", async () => {
  const lists = readSignatureLists(join(first.esl, second.esl));
  expect(lists.fault).toBeNull();
  expect(lists.entries.map((entry) => [entry.kind, entry.owner])).toEqual([
    ["x509", OWNER],
    ["x509", OWNER],
  ]);
  const { certificates } = summariseList(join(first.esl, second.esl));
  for (const [index, { pem }] of [first, second].entries()) {
    const read = certificates[index];
    expect(read?.sha256).toBe(
      openssl(pem, "-fingerprint", "-sha256").replace(/^.*=/, "").replaceAll(":", "").toLowerCase(),
    );
    expect(read?.notAfter).toBe(new Date(openssl(pem, "-enddate")).toISOString());
    expect(read?.notBefore).toBe(new Date(openssl(pem, "-startdate")).toISOString());
  }
  expect(certificates.map((each) => each.name)).toEqual(["Skerry Test CA 2011", "Skerry Test CA 2023"]);
});

test("the reference tool takes the same certificates out of the lists", () => {
  writeFileSync(w.path("both.esl"), join(first.esl, second.esl));
  run("sig-list-to-certs", [w.path("both.esl"), w.path("out")]);
  const { entries } = readSignatureLists(join(first.esl, second.esl));
  for (const [index, entry] of entries.entries())
    expect(Buffer.from(entry.data).equals(readFileSync(w.path(`out-${index}.der`)))).toBe(true);
});

test("who may sign: what db holds and dbx does not revoke, by certificate or by digest of its signed part", async () => {
  const db = base64(join(first.esl, second.esl));
  const signers = async (dbx: Uint8Array | null) =>
    summariseSecureBoot(firmware({ state: "on", db, dbx: dbx && base64(dbx) })).signers?.map((each) => each.name);
  expect(await signers(null)).toEqual(["Skerry Test CA 2011", "Skerry Test CA 2023"]);
  expect(await signers(first.esl)).toEqual(["Skerry Test CA 2023"]);
  const tbs = summariseList(second.esl).certificates[0]?.tbsSha256 as string;
  expect(await signers(digestList(X509_SHA256, [tbs], 16))).toEqual(["Skerry Test CA 2011"]);
  expect(await signers(digestList(SHA256, ["ab".repeat(32), "cd".repeat(32)]))).toHaveLength(2);
  expect(summariseSecureBoot(firmware({ state: "on" })).signers).toBeNull();
});

test("the digest of the signed part is openssl's own", async () => {
  const der = w.path("c.der");
  run("openssl", ["x509", "-in", first.pem, "-outform", "DER", "-out", der]);
  run("openssl", ["asn1parse", "-in", der, "-inform", "DER", "-strparse", "4", "-out", w.path("tbs.bin"), "-noout"]);
  const wanted = run("sha256sum", [w.path("tbs.bin")]).split(" ")[0];
  expect(summariseList(first.esl).certificates[0]?.tbsSha256).toBe(wanted);
});

test("digests are counted; other things in a list are told, not dropped", async () => {
  const list = summariseList(
    join(
      digestList(SHA256, ["00".repeat(32), "11".repeat(32), "22".repeat(32)]),
      digestList([9, 9, 9, 9, ...new Array(12).fill(9)], ["33".repeat(32)]),
    ),
  );
  expect(list).toMatchObject({ digests: 3, others: 1, certificates: [], fault: null });
});

test("every cut of a list ends with a sentence that names the byte, or at a whole list", () => {
  const bytes = join(first.esl, digestList(SHA256, ["ab".repeat(32)]));
  for (let length = 1; length < bytes.length; length++) {
    const { fault } = readSignatureLists(bytes.slice(0, length));
    if (length === first.esl.length) expect(fault).toBeNull();
    else expect(fault && listFaultText(fault)).toMatch(/^At byte \d+: /);
  }
  expect(isSignatureLists(new Uint8Array(400))).toBe(false);
});

test("levels: rows of component and generation (SBAT of the shim project)", () => {
  expect(readSbatLevel("sbat,1,2024010900\nshim,4\ngrub,3\ngrub.debian,4\n\0")).toEqual([
    { component: "sbat", generation: 1 },
    { component: "shim", generation: 4 },
    { component: "grub", generation: 3 },
    { component: "grub.debian", generation: 4 },
  ]);
});
