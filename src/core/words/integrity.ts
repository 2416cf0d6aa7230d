import type { Checksum } from "../medium/integrity/checksums";
import type { InnerArchive, InnerSums } from "../medium/integrity/inner";
import type { FileDifference, Verification } from "../medium/integrity/verify";
import { bytesText } from "./sizes";
import { visible } from "./visible";

const files = (count: number) => (count === 1 ? "one file" : `${count} files`);

/** What a comparison with a manifest came to, in a sentence or two. */
export function verificationText({ result, blocks, files: compared }: Verification): string {
  const differing = compared.differing.length + compared.more;
  const missing = blocks.missingBytes > 0 ? ` Its last ${bytesText(blocks.missingBytes)} are missing.` : "";
  switch (result) {
    case "same":
      return `Intact, to the byte${blocks.extraBytes > 0 ? `; followed by ${bytesText(blocks.extraBytes)} more` : ""}.`;
    case "same-files":
      return `Every file is intact (${files(compared.compared)} compared). ${blocks.differing.length > 0 ? "Bytes outside the files differ, which is normal for media laid out differently." : ""}`.trim();
    case "damaged":
      return `Damaged: ${differing === 0 ? "no file affected" : `${files(differing)} ${differing === 1 ? "differs" : "differ"}`}.${missing}`;
    case "differs":
      return `Damaged: ${files(differing)} ${differing === 1 ? "is" : "are"} missing or different.${missing}`;
  }
}

const WHY: Record<FileDifference["why"], string> = {
  missing: "is missing",
  size: "has another size",
  content: "has other content",
  unreadable: "cannot be read",
};

/** How a file is not as it was, in a sentence. */
export function fileDifferenceText({ path, why }: FileDifference): string {
  return `${visible(path, 500)} ${WHY[why]}`;
}

/** A sum that lies beside a file, and whether it is right. */
export function checksumText(sum: Checksum, isRight: boolean): string {
  const method = sum.hash.toUpperCase();
  return isRight
    ? `Its ${method} matches the published one: the file is intact.`
    : `Its ${method} does not match the published one (${sum.digest}): the file is damaged, cut short or another one. Download it again.`;
}

/** What the sums within a medium came to, in a sentence. */
export function innerSumsText({ path, compared, differing }: InnerSums): string {
  if (differing.length === 0)
    return `${visible(path)}: ${compared === 1 ? "one file is" : `all ${compared} files are`} as listed.`;
  const told = differing.slice(0, 20).map((each) => `  ${fileDifferenceText(each)}`);
  return [`${visible(path)}: ${differing.length} of ${files(compared)} are not as listed.`, ...told].join("\n");
}

/** What the check of an archive within a medium came to, in a sentence. */
export function innerArchiveText({ path, result }: InnerArchive): string {
  const name = visible(path, 500);
  switch (result.state) {
    case "none":
      return `${name} has no own checksums.`;
    case "unreadable":
      return `${name} is damaged: its checksums are unreadable.`;
    case "whole":
      return `${name}: all pieces match its checksums (${result.chunks}).`;
    case "by-contents":
      return result.damaged === 0
        ? `${name}: all ${result.contents} contents match their checksums.`
        : `${name}: ${result.damaged} of its ${result.contents} contents do not match their checksums.`;
    case "damaged":
      return `${name}: ${result.damaged.length} of its ${result.chunks} pieces do not match its checksums.`;
  }
}
