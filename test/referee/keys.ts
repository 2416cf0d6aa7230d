import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { run, type Workshop } from "../../scripts/media/workshop";
import { guidBytes } from "../../src/core/kernel/put";

/** Certificates and keys made with openssl, lists with efitools, signatures with sbsign and osslsigncode. */
const OWNER = "77fa9abd-0359-4d32-bd60-28f4e78f784b";

interface CertificateWish {
  /** Common name; its own by default. */
  cn?: string;
  issuer?: string;
  ca?: boolean;
  /** A key of another kind than RSA with 2,048 bits. */
  key?: string[];
  /** Days before today on which it ended. */
  ended?: boolean;
  extensions?: string;
}

/** Every certificate of the tests, by a short name. */
const WISHES: Record<string, CertificateWish> = {
  // Two authorities with a signer each, and what owns the computer.
  owner: { cn: "Skerry Test Owner", ca: true },
  exchange: { cn: "Skerry Test Exchange", ca: true },
  northCa: { cn: "Skerry Test North CA", ca: true },
  north: { cn: "Skerry Test North Signer", issuer: "northCa" },
  southCa: { cn: "Skerry Test South CA", ca: true },
  south: { cn: "Skerry Test South Signer", issuer: "southCa" },
  stranger: { cn: "Skerry Test Stranger" },
  // An authority between.
  middleCa: { cn: "Skerry Test Middle CA", issuer: "northCa", ca: true },
  middle: { cn: "Skerry Test Middle Signer", issuer: "middleCa" },
  // The same names as the northern ones, with other keys.
  falseCa: { cn: "Skerry Test North CA", ca: true },
  falseSigner: { cn: "Skerry Test North Signer", issuer: "falseCa" },
  // Not an authority, and what it issued all the same.
  plain: { cn: "Skerry Test Plain", issuer: "northCa" },
  overreach: { cn: "Skerry Test Overreach", issuer: "plain" },
  // Its days are over.
  endedCa: { cn: "Skerry Test Ended CA", ca: true, ended: true },
  ended: { cn: "Skerry Test Ended Signer", issuer: "endedCa", ended: true },
  // Other kinds of keys and digests.
  curveCa: { cn: "Skerry Test Curve CA", ca: true, key: ["ec", "-pkeyopt", "ec_paramgen_curve:P-256"] },
  curve: { cn: "Skerry Test Curve Signer", issuer: "curveCa", key: ["ec", "-pkeyopt", "ec_paramgen_curve:P-256"] },
  long: { cn: "Skerry Test Long Signer", issuer: "northCa", key: ["rsa:4096"] },
  // Not meant for signing programs, and meant for the kernel's modules alone.
  server: { cn: "Skerry Test Server", issuer: "northCa", extensions: "extendedKeyUsage=serverAuth" },
  modules: { cn: "Skerry Test Modules", issuer: "northCa", extensions: "extendedKeyUsage=1.3.6.1.4.1.2312.16.1.2" },
};

const KEY_NAMES = Object.keys(WISHES);

/** Kept keys and certificates as PEM, so that what is signed has the same bytes each time; `npm run referee -- --keys`. */
const KEPT_FILE = "test/referee/keys.json";
const kept: Record<string, { key: string; certificate: string }> = existsSync(KEPT_FILE)
  ? JSON.parse(readFileSync(KEPT_FILE, "utf8"))
  : {};

/** Paths of a certificate and its key; laid out, or made where none is kept, when they are first asked for. */
function keyPair(w: Workshop, name: string): { key: string; pem: string; der: string } {
  const wish = WISHES[name];
  if (!wish) throw new Error(`There is no certificate "${name}".`);
  const paths = { key: w.path(`${name}.key`), pem: w.path(`${name}.pem`), der: w.path(`${name}.der`) };
  if (existsSync(paths.der)) return paths;
  const own = kept[name];
  if (own) {
    w.text(`${name}.key`, own.key);
    w.text(`${name}.pem`, own.certificate);
    writeFileSync(paths.der, Buffer.from(own.certificate.replace(/-----[^-]+-----|\s/g, ""), "base64"));
    return paths;
  }
  const [algorithm = "rsa:2048", ...options] = wish.key ?? [];
  const subject = `/O=Skerry Line/CN=${wish.cn ?? name}`;
  run("openssl", [
    "req",
    "-new",
    "-newkey",
    algorithm,
    ...options,
    "-nodes",
    "-keyout",
    paths.key,
    "-out",
    w.path(`${name}.csr`),
    "-subj",
    subject,
  ]);
  const lines = [
    `basicConstraints=critical,CA:${wish.ca ? "TRUE" : "FALSE"}`,
    "subjectKeyIdentifier=hash",
    ...(wish.issuer ? ["authorityKeyIdentifier=keyid"] : []),
    ...(wish.extensions ? [wish.extensions] : []),
  ];
  const issuer = wish.issuer ? keyPair(w, wish.issuer) : null;
  const by = issuer ? ["-CA", issuer.pem, "-CAkey", issuer.key, "-CAcreateserial"] : ["-signkey", paths.key];
  const config = w.text(`${name}.ext`, `${lines.join("\n")}\n`);
  // openssl of Debian 12 sets no end in the past with -days; a day of -1 ends yesterday.
  run("openssl", [
    "x509",
    "-req",
    "-in",
    w.path(`${name}.csr`),
    "-out",
    paths.pem,
    "-days",
    wish.ended ? "-1" : "3650",
    "-extfile",
    config,
    ...by,
  ]);
  run("openssl", ["x509", "-in", paths.pem, "-outform", "DER", "-out", paths.der]);
  return paths;
}

export interface SignWish {
  by: string;
  /** Certificates carried beside the signer's. */
  carried?: string[];
  digest?: "sha1" | "sha256" | "sha384" | "sha512";
  nested?: boolean;
}

/** A program signed once or several times, by sbsign; by osslsigncode where sbsign cannot. */
export function signed(w: Workshop, file: string, name: string, ...wishes: (string | SignWish)[]): string {
  let last = file;
  for (const [index, each] of wishes.entries()) {
    const wish = typeof each === "string" ? { by: each } : each;
    const { key, pem } = keyPair(w, wish.by);
    const out = w.path(index === wishes.length - 1 ? name : `${name}.${index}`);
    const carried = (wish.carried ?? []).map((other) => keyPair(w, other).pem);
    if (wish.digest || wish.nested) {
      const chain = w.text(
        `${name}.${index}.chain`,
        [pem, ...carried].map((path) => readFileSync(path, "utf8")).join(""),
      );
      run("rm", ["-f", out]);
      run("osslsigncode", [
        "sign",
        ...(wish.nested ? ["-nest"] : []),
        "-h",
        wish.digest ?? "sha256",
        "-certs",
        chain,
        "-key",
        key,
        "-in",
        last,
        "-out",
        out,
      ]);
    } else
      run("sbsign", [
        "--key",
        key,
        "--cert",
        pem,
        ...carried.flatMap((path) => ["--addcert", path]),
        "--output",
        out,
        last,
      ]);
    last = out;
  }
  return last;
}

/** EFI_SIGNATURE_LIST of one certificate. */
export function certificateList(w: Workshop, name: string): Uint8Array {
  const list = w.path(`${name}.esl`);
  if (!existsSync(list)) run("cert-to-efi-sig-list", ["-g", OWNER, keyPair(w, name).pem, list]);
  return readFileSync(list);
}

/** EFI_SIGNATURE_LIST of kind sha256: the digest of a program as pesign computes it. UEFI 2.10, 32.4.1. */
export function digestList(file: string): Uint8Array {
  const digest = /hash: ([0-9a-f]{64})/.exec(run("pesign", ["-h", "-i", file]))?.[1] as string;
  const header = Buffer.alloc(12);
  header.writeUInt32LE(28 + 48, 0);
  header.writeUInt32LE(48, 8);
  return Buffer.concat([
    guidBytes("c1c41626-504c-4092-aca9-41f936934328"),
    header,
    guidBytes(OWNER),
    Buffer.from(digest, "hex"),
  ]);
}

/** EFI_SIGNATURE_LIST of kind x509-sha256: revoked at all times, or from a time on (EFI_TIME). UEFI 2.10, 32.4.1. */
export function revokedCertificateList(w: Workshop, name: string, from: { year: number } | null = null): Uint8Array {
  const list = w.path(`${name}.tbs.esl`);
  // efitools writes the digest of the to-be-signed part itself, with a time of its own or of zero.
  run("cert-to-efi-hash-list", [
    "-g",
    OWNER,
    ...(from ? ["-t", `${from.year}-01-01 00:00:00`] : []),
    keyPair(w, name).pem,
    list,
  ]);
  const bytes = new Uint8Array(readFileSync(list));
  if (!from) bytes.fill(0, bytes.length - 16);
  return bytes;
}

/** Keeps all keys and certificates, made where none is kept yet. */
export function keepKeys(w: Workshop): void {
  const all = KEY_NAMES.map((name) => {
    const { key, pem } = keyPair(w, name);
    return [name, { key: readFileSync(key, "utf8"), certificate: readFileSync(pem, "utf8") }];
  });
  writeFileSync(KEPT_FILE, `${JSON.stringify(Object.fromEntries(all), null, 2)}\n`);
}
