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
      return `It is what it should be, to the byte${blocks.extraBytes > 0 ? `; behind it the medium has ${bytesText(blocks.extraBytes)} more` : ""}.`;
    case "same-files":
      return `Every file is there and whole (${files(compared.compared)} compared). ${blocks.differing.length > 0 ? "Bytes outside the files differ, as they do where a medium was laid out or written to otherwise." : ""}`.trim();
    case "damaged":
      return `It is damaged: ${differing === 0 ? "no file is touched" : `${files(differing)} ${differing === 1 ? "is" : "are"} not what ${differing === 1 ? "it" : "they"} should be`}.${missing}`;
    case "differs":
      return `It does not hold what it should: ${files(differing)} ${differing === 1 ? "is" : "are"} missing or different.${missing}`;
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
    ? `Its ${method} is the published one: the file is whole.`
    : `Its ${method} is not the published one (${sum.digest}): the file is damaged, cut short or another one. Fetch it again.`;
}

/** What the sums within a medium came to, in a sentence. */
export function innerSumsText({ path, compared, differing }: InnerSums): string {
  if (differing.length === 0)
    return `${visible(path)}: ${compared === 1 ? "one file is" : `all ${compared} files are`} as it says.`;
  const told = differing.slice(0, 20).map((each) => `  ${fileDifferenceText(each)}`);
  return [`${visible(path)}: ${differing.length} of ${files(compared)} are not as it says.`, ...told].join("\n");
}

/** What the check of an archive within a medium came to, in a sentence. */
export function innerArchiveText({ path, result }: InnerArchive): string {
  const name = visible(path, 500);
  switch (result.state) {
    case "none":
      return `${name} carries no sums of its own.`;
    case "unreadable":
      return `${name} is damaged: its own sums cannot be read.`;
    case "whole":
      return `${name}: all its pieces are as its own sums say (${result.chunks}).`;
    case "damaged":
      return `${name}: ${result.damaged.length} of its ${result.chunks} pieces are not as its own sums say.`;
  }
}
