import { releaseFactsSchema } from "../medium/releases/facts";
import { signatureFaultText, systemText, unreadWhyText } from "./contents";
import { checksumText, fileDifferenceText, innerArchiveText, innerSumsText, verificationText } from "./integrity";
import { purposeText, releaseFactsText } from "./releases";
import { bytesText } from "./sizes";
import { unreadableText, volumeText } from "./trees";

const nothing = { compared: 0, differing: [], missingBytes: 0, extraBytes: 0 };
const files = (differing: { volume: number; path: string; why: "content" | "missing" }[], compared = 3) => ({
  compared,
  differing,
  more: 0,
});
const verification = (more: object) =>
  verificationText({
    schema: "creel.verify/1",
    result: "same",
    blocks: nothing,
    files: files([]),
    outsideFiles: [],
    ...more,
  } as never);

test("a comparison in words: one, many, none, and what is missing", () => {
  expect(verification({})).toBe("Intact, to the byte.");
  expect(verification({ blocks: { ...nothing, extraBytes: 2_000_000 } })).toContain("followed by 2 MB more");
  const one = files([{ volume: 1, path: "/a", why: "content" }]);
  expect(verification({ result: "damaged", files: one })).toBe("Damaged: one file differs.");
  const two = files([
    { volume: 1, path: "/a", why: "content" },
    { volume: 1, path: "/b", why: "missing" },
  ]);
  expect(verification({ result: "differs", files: two, blocks: { ...nothing, missingBytes: 5_000_000 } })).toBe(
    "Damaged: 2 files are missing or different. Its last 5 MB are missing.",
  );
  expect(verification({ result: "damaged" })).toContain("no file affected");
  expect(verification({ result: "same-files" })).toMatch(/^Every file is intact \(3 files compared\)\.$/);
});

test("names from media are made safe in every sentence", () => {
  const evil = "/\u202Etxt.exe\u001b[2J";
  const sentences = [
    fileDifferenceText({ volume: 1, path: evil, why: "size" }),
    innerSumsText({ path: evil, compared: 2, differing: [{ volume: 1, path: evil, why: "content" }] }),
    innerArchiveText({ path: evil, result: { state: "whole", chunks: 3 } }),
    innerArchiveText({ path: evil, result: { state: "by-contents", contents: 3, damaged: 1 } }),
    systemText({ family: "linux", name: evil, version: evil, build: null, edition: evil, arch: null, language: evil }),
  ];
  // biome-ignore lint/suspicious/noControlCharactersInRegex: that they are not there is what is tested
  for (const sentence of sentences) expect(sentence).not.toMatch(/[\u202e\u001b]/);
});

test("sums and archives, whole and not", () => {
  const sum = { hash: "sha256" as const, digest: "ab".repeat(32), name: "kit.iso" };
  expect(checksumText(sum, true)).toContain("the file is intact");
  expect(checksumText(sum, false)).toContain(sum.digest);
  expect(innerSumsText({ path: "/md5sum.txt", compared: 1, differing: [] })).toBe(
    "/md5sum.txt: one file is as listed.",
  );
  expect(
    innerArchiveText({
      path: "/a.wim",
      result: { state: "damaged", chunks: 9, damaged: [{ start: 0, lengthBytes: 1 }] },
    }),
  ).toBe("/a.wim: 1 of its 9 pieces do not match its checksums.");
  expect(innerArchiveText({ path: "/a.wim", result: { state: "unreadable" } })).toContain("damaged");
});

test("volumes and what cannot be read", () => {
  expect([
    volumeText(2),
    volumeText("iso9660"),
    volumeText("eltorito:1"),
    volumeText("mbr:3"),
    volumeText("wim:2"),
    volumeText("whole"),
  ]).toEqual([
    "partition 2",
    "the disc (ISO 9660)",
    "boot image 1 of the disc's catalogue",
    "partition 3 of the MBR",
    "image 2 of the archive",
    "the whole medium",
  ]);
  for (const why of ["compressed", "encrypted", "interleaved", "elsewhere", "special"] as const)
    expect(unreadableText(why)).toMatch(/^\w+ \w+/);
  for (const why of ["later", "damaged", "no-decoder", "too-large"] as const) expect(unreadWhyText(why)).not.toBe("");
  expect(signatureFaultText("digest-differs")).toContain("changed after signing");
});

test("what a release can do, in one sentence", () => {
  expect(releaseFactsText({ purposes: [], opens: [], abilities: [] })).toBe("");
  expect(
    releaseFactsText({
      purposes: ["put-back-images", "network"],
      opens: [
        { kit: "Spindle", upTo: "3.0" },
        { kit: "Bollard", upTo: null },
      ],
      abilities: ["hardware-move"],
    }),
  ).toBe("Restores images of Spindle up to 3.0, Bollard, reaches the network, adapts images to other hardware.");
  expect(purposeText("file-rescue")).toBe("rescues files");
  expect(releaseFactsSchema.safeParse({ purposes: ["fly"], opens: [] }).success).toBe(false);
});

test("sizes in groups of three digits, as they were with the host's own formatter", () => {
  for (const bytes of [
    0, 1, 999, 1000, 1234, 999_999, 1_000_000, 64e9, 4_294_967_295, 9.007e15, 1_500_000_000_000_000_000,
  ]) {
    const [value] = bytesText(bytes).split(" ") as [string];
    expect(value).toBe(Number(value.replaceAll(",", "")).toLocaleString("en-GB"));
  }
});
