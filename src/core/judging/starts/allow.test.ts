import { certificateList, digestList, revokedCertificateList, signed } from "../../../../test/referee/keys";
import { PROGRAMS } from "../../../../test/referee/programs";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { FatTree } from "../../formats/fat";
import { toBase64 } from "../../kernel/base64";
import { StartFileReader } from "../../medium/firmware/uefi/loader";
import type { StartFile } from "../../medium/firmware/uefi/view";
import { refusalText } from "../../words/secure-boot";
import type { Allowance } from "../model/allowance";
import {
  allowedByFirmware,
  allowedByFirstStage,
  allowedBySelf,
  certificatesOf,
  levelInForce,
  secureBootLists,
} from "./allow";

// What firmware does in each case is held against real firmware in test/referee; here are the cases that it cannot
// show: lists that are not recorded, and what is not computed with.
const w = tempWorkshop();

/** The loader of a stick, and the certificates that it carries. */
async function startFile(
  loader: string,
  more: Record<string, string> = {},
): Promise<{ start: StartFile; store: Record<string, string> }> {
  const image = w.fat(
    `${Math.random().toString(36).slice(2)}.img`,
    24,
    16,
    { "EFI/BOOT/BOOTX64.EFI": loader, ...more },
    ["-s", "4"],
  );
  const tree = await FatTree.open(memory(image));
  if (!tree) throw new Error("no volume");
  const reader = new StartFileReader();
  const { x64 } = await reader.read(tree, { filesystem: "fat16", start: 0, length: 0 });
  if (!x64) throw new Error("no loader");
  return { start: x64, store: reader.certificates };
}

const lists = (db: Uint8Array | null, dbx: Uint8Array | null, sbatLevel: string | null = "") =>
  secureBootLists({ db: db && toBase64(db), dbx: dbx && toBase64(dbx), sbatLevel });
const NONE = new Uint8Array(0);
const north = () => certificateList(w, "northCa");

/** An answer as one word. */
function word(answer: Allowance | null): string {
  if (!answer) return "nothing to say";
  if (answer.allowed) return `allowed by ${answer.by}`;
  return answer.allowed === false ? answer.refusal.why : `unknown: ${answer.undecided}`;
}

test("a list that is not recorded is named where it decides, and only there", async () => {
  const { start, store } = await startFile(signed(w, w.efi("x64"), "n.efi", "north"));
  const firmware = (db: Uint8Array | null, dbx: Uint8Array | null) =>
    word(allowedByFirmware(start.loader.signing, certificatesOf(store), lists(db, dbx)));
  expect(firmware(north(), NONE)).toBe("allowed by certificate");
  expect(firmware(null, NONE)).toBe("unknown: db");
  expect(firmware(north(), null)).toBe("unknown: dbx");
  expect(firmware(null, null)).toBe("unknown: db");
  // Refused in any case, whatever the other list holds.
  expect(firmware(null, north())).toBe("certificate-revoked");
  expect(firmware(certificateList(w, "southCa"), null)).toBe("signer-not-trusted");
});

test("an unsigned program needs its digest, and both lists to be sure", async () => {
  const { start, store } = await startFile(w.efi("x64"));
  const own = digestList(w.efi("x64"));
  const firmware = (db: Uint8Array | null, dbx: Uint8Array | null) =>
    word(allowedByFirmware(start.loader.signing, certificatesOf(store), lists(db, dbx)));
  expect(firmware(own, NONE)).toBe("allowed by digest");
  expect(firmware(own, null)).toBe("unknown: dbx");
  expect(firmware(null, own)).toBe("digest-revoked");
  expect(firmware(null, NONE)).toBe("unknown: db");
  expect(firmware(north(), null)).toBe("not-signed");
});

test("a revocation from a time on is not decided; one of all times is", async () => {
  const { start, store } = await startFile(signed(w, w.efi("x64"), "t.efi", "north"));
  const firmware = (dbx: Uint8Array) =>
    word(allowedByFirmware(start.loader.signing, certificatesOf(store), lists(north(), dbx)));
  expect(firmware(revokedCertificateList(w, "northCa"))).toBe("certificate-revoked");
  const later = revokedCertificateList(w, "northCa").slice();
  later.set([0xea, 0x07, 1, 1], later.length - 16);
  expect(firmware(later)).toBe("unknown: revocation-time");
});

test("what was never read, and certificates that are not there any more, are not taken for granted", async () => {
  const { start, store } = await startFile(signed(w, w.efi("x64"), "r.efi", "north"));
  expect(word(allowedByFirmware(null, certificatesOf(store), lists(north(), NONE)))).toBe("unknown: signatures");
  expect(word(allowedByFirmware(start.loader.signing, certificatesOf({}), lists(north(), NONE)))).toBe(
    "signer-not-trusted",
  );
});

test("the stored level decides for what a first stage starts; where it is not recorded it is named", async () => {
  const second = signed(w, PROGRAMS.witness(w), "second.efi", "north");
  const { start, store } = await startFile(PROGRAMS.shim(w), { "EFI/BOOT/grubx64.efi": second });
  const { loader, next } = start;
  const program = next?.loader;
  if (!program || !loader.firstStage) throw new Error("no first stage");
  const staged = (level: string | null, db: Uint8Array | null = north(), dbx: Uint8Array | null = NONE) =>
    word(allowedByFirstStage(loader.firstStage, program, certificatesOf(store), lists(db, dbx, level)));
  expect(staged("")).toBe("allowed by certificate");
  expect(staged(null)).toBe("unknown: sbatLevel");
  expect(staged("sbat,1,2099010100\ngrub,99\n")).toBe("sbat-revoked");
  expect(staged("", null)).toBe("unknown: db");
  expect(staged("", north(), null)).toBe("unknown: dbx");
  expect(word(allowedBySelf(loader, null))).toBe("unknown: sbatLevel");
  expect(word(allowedBySelf(loader, ""))).toBe("nothing to say");
  expect(word(allowedBySelf(loader, "sbat,1,2099010100\nshim,99\n"))).toBe("sbat-revoked");
  expect(word(allowedByFirstStage(null, program, certificatesOf(store), lists(north(), NONE)))).toBe(
    "unknown: signatures",
  );
});

// The SBAT text of the shim project: the later level is kept.
test.each([
  ["sbat,1,2024010900\nshim,4\n", "sbat,1,2023012900\nshim,2\n", 4],
  ["sbat,1,2021030218\n", "sbat,1,2023012900\nshim,2\n", 2],
  ["", "sbat,1,2023012900\nshim,2\n", 2],
])("of %j stored and %j brought along, the later is in force", (stored, own, generation) => {
  expect(levelInForce(stored, own).find(({ component }) => component === "shim")?.generation).toBe(generation);
});

test("every refusal is the second half of a sentence", () => {
  const refusals = [
    { why: "digest-revoked" },
    { why: "certificate-revoked", name: "X" },
    { why: "not-signed" },
    { why: "signer-not-trusted", signers: [] },
    { why: "signer-not-trusted", signers: ["X"] },
    { why: "signature-damaged" },
    { why: "curve-key", signers: ["X"] },
    { why: "table-damaged" },
    { why: "sbat-missing" },
    { why: "sbat-revoked", component: "grub", generation: 1, least: 3 },
  ] as const;
  for (const refusal of refusals)
    expect(refusalText(refusal as Parameters<typeof refusalText>[0])).toMatch(/^[a-z].*[^.]$/);
});
