import { readFileSync, writeFileSync } from "node:fs";
import { run } from "../../../scripts/media/workshop";
import { tempWorkshop } from "../../../test/support/workshop";
import { listFaultText } from "../words/signature-lists";
import { readSignatureFile } from "./signature-file";

// Reference: cert-to-efi-sig-list, hash-to-efi-sig-list and sign-efi-sig-list of efitools.
const w = tempWorkshop();
const OWNER = "77fa9abd-0359-4d32-bd60-28f4e78f784b";
const at = (name: string) => w.path(name);
run("openssl", [
  ...["req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "3650", "-subj", "/O=Skerry Line/CN=Skerry KEK"],
  ...["-keyout", at("kek.key"), "-out", at("kek.pem")],
]);
run("cert-to-efi-sig-list", ["-g", OWNER, at("kek.pem"), at("cert.esl")]);
run("hash-to-efi-sig-list", [w.efi("x64"), w.efi("ia32"), at("hash.esl")]);
run("sh", ["-c", `cat ${at("cert.esl")} ${at("hash.esl")} > ${at("both.esl")}`]);
run("sign-efi-sig-list", [
  ...["-a", "-t", "2026-03-01 10:20:30", "-g", OWNER, "-k", at("kek.key"), "-c", at("kek.pem")],
  ...["dbx", at("both.esl"), at("both.auth")],
]);
const bytesOf = (name: string) => new Uint8Array(readFileSync(at(name)));

test("lists alone: a certificate with its owner, and the digests of two programs", async () => {
  const file = await readSignatureFile(bytesOf("both.esl"));
  expect(file).toMatchObject({ form: "lists", fault: null, signers: null, updatedAt: null });
  expect(file.entries.map((each) => each.kind)).toEqual(["x509", "sha256", "sha256"]);
  expect(file.entries[0]).toMatchObject({
    owner: OWNER,
    at: 28,
    certificate: { subjectName: "CN=Skerry KEK,O=Skerry Line" },
  });
  const told = run("sh", ["-c", `pesign -h -i ${w.efi("x64")} 2>/dev/null`]);
  expect(told).toContain(`hash: ${file.entries[1]?.digest}`);
});

test("an authenticated update says when, and by whom it is signed", async () => {
  const file = await readSignatureFile(bytesOf("both.auth"));
  expect(file).toMatchObject({
    form: "update",
    fault: null,
    updatedAt: "2026-03-01T10:20:30.000Z",
    signers: [{ signer: "CN=Skerry KEK,O=Skerry Line" }],
  });
  const plain = await readSignatureFile(bytesOf("both.esl"));
  const shift = bytesOf("both.auth").length - bytesOf("both.esl").length;
  expect(file.entries.map((each) => each.at)).toEqual(plain.entries.map((each) => each.at + shift));
});

test("a variable as efivarfs has it, with its attributes", async () => {
  writeFileSync(at("dbx-d719b2cb"), Buffer.concat([Buffer.from([0x27, 0, 0, 0]), bytesOf("both.esl")]));
  const file = await readSignatureFile(bytesOf("dbx-d719b2cb"));
  expect(file).toMatchObject({ form: "variable", fault: null });
  expect(file.attributes).toEqual(["non-volatile", "boot service", "runtime", "time-based authenticated"]);
  expect(file.entries).toHaveLength(3);
});

test.each(["both.esl", "both.auth"])("%s cut anywhere says at which byte, and never fails", async (name) => {
  const whole = bytesOf(name);
  const sizes = [...Array(60).keys()].map((i) => Math.floor((whole.length * i) / 60));
  for (const size of sizes) {
    const { fault, entries } = await readSignatureFile(whole.slice(0, size));
    const isWholeList = size === bytesOf("cert.esl").length && name === "both.esl";
    if (!isWholeList) expect(fault && listFaultText(fault)).toMatch(size === 0 ? /empty/ : /^At byte \d+: \S/);
    expect(entries.length).toBeLessThanOrEqual(3);
  }
});
