import { readFileSync, writeFileSync } from "node:fs";
import { run } from "../../../scripts/media/workshop";
import { damaged, dice } from "../../../test/support/dice";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { MemorySource } from "../kernel/source";
import { readSigning } from "./authenticode";
import { readBuiltInLists } from "./built-in-lists";
import { readPe, readSbat } from "./pe";

// Reference: the signed loaders of Debian's packages shim-signed, shim-helpers-amd64-signed and
// grub-efi-amd64-signed, as sbverify, pesign, osslsigncode, objcopy and openssl read them.
const SHIM = "/usr/lib/shim/shimx64.efi.signed";
const SIGNED = [
  SHIM,
  "/usr/lib/shim/fbx64.efi.signed",
  "/usr/lib/shim/mmx64.efi.signed",
  "/usr/lib/grub/x86_64-efi-signed/grubx64.efi.signed",
  "/usr/lib/grub/x86_64-efi-signed/gcdx64.efi.signed",
];
const w = tempWorkshop();

async function signingOf(path: string) {
  const file = memory(path);
  return readSigning(file, await readPe(file));
}

/** `key=value` lists as sbverify writes names, the least particular part first. */
const slashed = (name: string) =>
  `/${name
    .split(/(?<!\\),/)
    .reverse()
    .join("/")
    .replaceAll("\\", "")}`;

describe.each(SIGNED)("%s", (path) => {
  test("its digest is that of osslsigncode and of pesign", async () => {
    const { authenticode } = await signingOf(path);
    // osslsigncode 2.9 gives up on a file with several entries in its table, as the first stage has.
    const told = run("sh", ["-c", `osslsigncode verify ${path} 2>&1 || true`]);
    const calculated = /Calculated message digest : ([0-9A-F]{64})/.exec(told)?.[1]?.toLowerCase();
    expect(calculated).toBe(path === SHIM ? undefined : authenticode);
    expect(run("sh", ["-c", `pesign -h -i ${path} 2>/dev/null`])).toContain(`hash: ${authenticode}`);
  });

  test("signers, issuers and carried certificates are those of sbverify, each speaking for this file", async () => {
    const { signatures, tableFault } = await signingOf(path);
    const told = run("sbverify", ["--list", path]);
    expect(tableFault).toBeNull();
    expect(signatures.length).toBeGreaterThan(0);
    expect(signatures.map((each) => each.fault)).toEqual(signatures.map(() => null));
    expect(signatures.map((each) => slashed(each.issuer))).toEqual(
      [...told.matchAll(/image signature issuers:\n - (.*)\n/g)].map((found) => found[1]),
    );
    expect(signatures.flatMap((each) => each.chain.map((one) => slashed(one.subjectName)))).toEqual(
      [...told.matchAll(/- subject: (.*)\n/g)].map((found) => found[1]),
    );
  });
});

test("times, serial, key and digests of the signers' certificates are those of openssl", async () => {
  const { signatures } = await signingOf(SHIM);
  expect(signatures.length).toBeGreaterThan(1);
  for (const [index, signature] of signatures.entries()) {
    const p7 = w.path(`s${index}.p7`);
    run("sh", ["-c", `cd ${w.folder} && sbattach --signum ${index + 1} --detach ${p7} ${SHIM} 2>/dev/null || true`]);
    const pem = run("openssl", ["pkcs7", "-inform", "DER", "-in", p7, "-print_certs"]);
    const told = pem.split(/(?=subject=)/).filter((part) => part.includes("BEGIN"));
    expect(signature.chain.length).toBeGreaterThan(0);
    for (const certificate of signature.chain) {
      const own = told.map((text) =>
        run("openssl", ["x509", "-noout", "-serial", "-dates", "-fingerprint", "-sha256"], { input: text }),
      );
      const line = own.find((text) => text.toLowerCase().replaceAll(":", "").includes(certificate.sha256));
      expect(line).toContain(`serial=${certificate.serial.toUpperCase()}`);
      expect(new Date(/notAfter=(.*)/.exec(line ?? "")?.[1] ?? "").toISOString()).toBe(certificate.notAfter);
      expect(new Date(/notBefore=(.*)/.exec(line ?? "")?.[1] ?? "").toISOString()).toBe(certificate.notBefore);
      expect(certificate.key).toBe("RSA 2048");
    }
  }
});

test("the SBAT rows are those of objcopy", async () => {
  const file = memory(SHIM);
  const rows = await readSbat(file, await readPe(file));
  run("objcopy", ["-O", "binary", "--only-section=.sbat", SHIM, w.path("sbat.csv")]);
  const told = readFileSync(w.path("sbat.csv"), "utf8").replaceAll("\0", "").trim().split("\n");
  expect(told.length).toBeGreaterThanOrEqual(2);
  expect(rows?.map((row) => `${row.component},${row.generation}`)).toEqual(
    told.map((line) => line.split(",").slice(0, 2).join(",")),
  );
});

test("the certificate built into the first stage is the issuer of the second stage's", async () => {
  const file = memory(SHIM);
  const lists = (await readBuiltInLists(file, await readPe(file)))?.lists;
  const second = await signingOf("/usr/lib/grub/x86_64-efi-signed/grubx64.efi.signed");
  expect(lists?.allowed.map((each) => each.subjectName)).toEqual([second.signatures[0]?.issuer]);
  // Reference: what openssl finds in the same section.
  run("objcopy", ["-O", "binary", "--only-section=.vendor_cert", SHIM, w.path("vendor.bin")]);
  const bytes = readFileSync(w.path("vendor.bin"));
  writeFileSync(
    w.path("vendor.der"),
    bytes.subarray(bytes.readUInt32LE(8), bytes.readUInt32LE(8) + bytes.readUInt32LE(0)),
  );
  const told = run("openssl", [
    "x509",
    "-inform",
    "DER",
    "-in",
    w.path("vendor.der"),
    "-noout",
    "-fingerprint",
    "-sha256",
  ]);
  expect(told.replaceAll(":", "").toLowerCase()).toContain(lists?.allowed[0]?.sha256 ?? "none");
  expect(await readBuiltInLists(memory(w.efi("x64")), await readPe(memory(w.efi("x64"))))).toBeNull();
});

describe("a program signed here", () => {
  const key = (name: string) => {
    run("openssl", [
      ...["req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "3650", "-subj", `/O=Skerry Line/CN=${name}`],
      ...["-keyout", w.path(`${name}.key`), "-out", w.path(`${name}.pem`)],
    ]);
    return ["--key", w.path(`${name}.key`), "--cert", w.path(`${name}.pem`)];
  };
  const one = key("One");
  const two = key("Two");
  const plain = w.efi("x64");
  const signed = w.path("signed.efi");
  run("sbsign", [...one, "--output", signed, plain]);
  run("sbsign", [...two, "--output", w.path("twice.efi"), signed]);
  run("sh", [
    "-c",
    `cd ${w.folder} && osslsigncode sign -certs Two.pem -key Two.key -h sha256 -nest -in signed.efi -out nested.efi`,
  ]);

  test("unsigned, once, twice and nested", async () => {
    const names = async (path: string) =>
      (await signingOf(path)).signatures.map((each) => [each.signerName, each.nested, each.fault]);
    expect(await names(plain)).toEqual([]);
    expect(await names(signed)).toEqual([["One", false, null]]);
    expect(await names(w.path("twice.efi"))).toEqual([
      ["One", false, null],
      ["Two", false, null],
    ]);
    expect(await names(w.path("nested.efi"))).toEqual([
      ["One", false, null],
      ["Two", true, null],
    ]);
  });

  test("the digest leaves the signatures out", async () => {
    const digests = await Promise.all(
      [plain, signed, w.path("twice.efi")].map(async (path) => (await signingOf(path)).authenticode),
    );
    expect(new Set(digests).size).toBe(1);
  });

  test("a byte changed after signing, in the program or in the signature, is told", async () => {
    const bytes = new Uint8Array(readFileSync(signed));
    const image = await readPe(new MemorySource(bytes));
    const faultWith = async (at: number) => {
      const changed = bytes.slice();
      changed[at] = (changed[at] as number) ^ 0x20;
      const source = new MemorySource(changed);
      return (await readSigning(source, await readPe(source))).signatures[0]?.fault;
    };
    const section = image.sections[0];
    expect(await faultWith((section?.fileOffset ?? 0) + 100)).toBe("digest-differs");
    // The signature itself is the last thing in the structure.
    expect(await faultWith(bytes.length - 16)).toBe("signature-wrong");
    // The header's checksum is no part of what is signed.
    expect(await faultWith(image.layout?.checksumAt ?? 0)).toBeNull();
  });

  test("damaged programs end in faults, never in an exception", async () => {
    const roll = dice(4);
    const bytes = new Uint8Array(readFileSync(w.path("nested.efi")));
    let [read, faulty] = [0, 0];
    const { start, lengthBytes } = (await readPe(new MemorySource(bytes))).layout?.certificates ?? {
      start: 0,
      lengthBytes: 0,
    };
    for (let round = 0; round < 50; round++) {
      const tail = damaged(bytes.slice(start, start + lengthBytes), roll);
      const changed = new Uint8Array(start + tail.length);
      changed.set(bytes.subarray(0, start));
      changed.set(tail, start);
      const source = new MemorySource(changed);
      const { signatures } = await readSigning(source, await readPe(source));
      expect(signatures.length).toBeLessThan(10);
      read += signatures.length;
      faulty += signatures.filter(({ fault }) => fault !== null).length;
    }
    // Some of them are read all the same, and some are seen to be changed.
    expect(read).toBeGreaterThan(10);
    expect(faulty).toBeGreaterThan(5);
  });
});
