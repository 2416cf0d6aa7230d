import { readFileSync } from "node:fs";
import { run } from "../../../scripts/media/workshop";
import { damaged, dice } from "../../../test/support/dice";
import { tempWorkshop } from "../../../test/support/workshop";
import { certificateFrom, readCertificate } from "./certificate";
import { parseDer } from "./der";
import { verifyRsa } from "./rsa";

// Reference: openssl, which makes the certificates and tells what is in them.
const w = tempWorkshop();

function make(name: string, subject: string, options: string[] = []): Uint8Array {
  const key = options.length > 0 ? options : ["-newkey", "rsa:2048"];
  run("openssl", [
    "req",
    "-x509",
    ...key,
    "-nodes",
    "-utf8",
    "-days",
    "9000",
    "-subj",
    subject,
    "-keyout",
    w.path(`${name}.key`),
    "-out",
    w.path(`${name}.pem`),
  ]);
  run("openssl", ["x509", "-in", w.path(`${name}.pem`), "-outform", "DER", "-out", w.path(`${name}.der`)]);
  return new Uint8Array(readFileSync(w.path(`${name}.der`)));
}
const told = (name: string, ...what: string[]) =>
  run("openssl", ["x509", "-in", w.path(`${name}.pem`), "-noout", "-nameopt", "RFC2253,utf8,-esc_msb", ...what])
    .trim()
    .replace(/^\w+=/, "");

test.each([
  ["plain", "/C=IS/O=Skerry Line/CN=Skerry CA"],
  ["foreign", "/O=Fährlinie Åland/CN=Schlüssel № 7"],
  ["escaped", '/O=Ropes, Nets & Sons/CN=A "quoted" name; and <more>'],
  ["nameless", "/O=Only an organisation"],
])("%s: %s", async (name, subject) => {
  const read = readCertificate(make(name, subject));
  expect(read?.subjectName).toBe(told(name, "-subject"));
  expect(read?.issuerName).toBe(told(name, "-issuer"));
  expect(read?.serial).toBe(told(name, "-serial").toLowerCase());
  expect(read?.notAfter).toBe(new Date(told(name, "-enddate")).toISOString());
  expect(read?.sha256).toBe(
    told(name, "-fingerprint", "-sha256").replace(/^.*=/, "").replaceAll(":", "").toLowerCase(),
  );
  expect(read?.key).toBe("RSA 2048");
  expect(read?.algorithm).toBe("sha256WithRSA");
});

test("a certificate with a key of another kind is told as what it is", async () => {
  const read = readCertificate(make("curve", "/CN=Curve", ["-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:P-256"]));
  expect(read).toMatchObject({ name: "Curve", key: "EC", algorithm: "sha256WithECDSA" });
});

test("a date past 2050 is written in another form, and read all the same", async () => {
  run("openssl", [
    "req",
    "-x509",
    "-newkey",
    "rsa:2048",
    "-nodes",
    "-days",
    "36500",
    "-subj",
    "/CN=Long",
    "-keyout",
    w.path("long.key"),
    "-out",
    w.path("long.pem"),
  ]);
  run("openssl", ["x509", "-in", w.path("long.pem"), "-outform", "DER", "-out", w.path("long.der")]);
  const read = readCertificate(new Uint8Array(readFileSync(w.path("long.der"))));
  expect(read?.notAfter).toBe(new Date(told("long", "-enddate")).toISOString());
  expect(Number(read?.notAfter.slice(0, 4))).toBeGreaterThan(2100);
});

describe("RSA signatures", () => {
  const der = make("signer", "/CN=Signer");
  const parsed = parseDer(der);
  const key = parsed && certificateFrom(parsed)?.rsaKey;
  const message = Buffer.from("what is signed");
  w.text("message", message.toString());
  const signature = (hash: string) => {
    run("openssl", ["dgst", `-${hash}`, "-sign", w.path("signer.key"), "-out", w.path("signature"), w.path("message")]);
    return new Uint8Array(readFileSync(w.path("signature")));
  };

  test.each(["sha1", "sha256", "sha384", "sha512"] as const)("of openssl with %s verify, only signer", async (hash) => {
    if (!key) throw new Error("no key");
    const good = signature(hash);
    expect(verifyRsa(key, hash, message, good)).toBe(true);
    expect(verifyRsa(key, hash, Buffer.from("what is signeD"), good)).toBe(false);
    expect(verifyRsa(key, hash === "sha256" ? "sha1" : "sha256", message, good)).toBe(false);
    for (const at of [0, 100, 255]) {
      const changed = good.slice();
      changed[at] = (changed[at] as number) ^ 1;
      expect(verifyRsa(key, hash, message, changed)).toBe(false);
    }
    expect(verifyRsa(key, hash, message, good.slice(1))).toBe(false);
    expect(verifyRsa({ ...key, exponent: 1n }, hash, message, good)).toBe(false);
  });
});

test("damaged certificates are none, or others; they never fail", async () => {
  const der = new Uint8Array(readFileSync(w.path("plain.der")));
  const roll = dice(8);
  for (let round = 0; round < 300; round++) {
    const read = readCertificate(damaged(der, roll));
    if (read) expect(read.sha256).toMatch(/^[0-9a-f]{64}$/);
  }
});
