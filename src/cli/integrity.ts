import { readFile } from "node:fs/promises";
import { checksumFor, readChecksums } from "@/core/medium/integrity/checksums";
import { digestSource } from "@/core/medium/integrity/hashing";
import { verifyInner } from "@/core/medium/integrity/inner";
import { isIntact } from "@/core/medium/integrity/intact";
import { type Manifest, makeManifest, manifestSchema } from "@/core/medium/integrity/manifest";
import { type Verification, verifyAgainst } from "@/core/medium/integrity/verify";
import {
  checksumText,
  fileDifferenceText,
  innerArchiveText,
  innerSumsText,
  verificationText,
} from "@/core/words/integrity";
import { visible } from "@/core/words/visible";
import { nativeHasher } from "@/server/host/native-hasher";
import { fileProblem, UsageError, withFile } from "./problems";

export function runManifest(file: string, options: { json?: boolean }): Promise<void> {
  return withFile(file, async (source) => {
    const manifest = await makeManifest(source, { name: source.name, make: nativeHasher });
    process.stdout.write(options.json ? `${JSON.stringify(manifest)}\n` : describe(manifest));
  });
}

function describe(manifest: Manifest): string {
  const lines = [`${manifest.file.sha256}  ${visible(manifest.file.name)}`];
  for (const volume of manifest.volumes)
    for (const file of volume.files)
      lines.push(`${file.sha256 ?? "not readable".padEnd(64)}  ${String(volume.id)}:${visible(file.path, 500)}`);
  return `${lines.join("\n")}\n`;
}

interface VerifyOptions {
  manifest?: string;
  sums?: string;
  inside?: boolean;
  only?: string;
  json?: boolean;
  check?: boolean;
}

/** Compares a medium with a manifest, with a published checksum file, or with the sums that it carries itself. */
export function runVerify(file: string, options: VerifyOptions): Promise<number> {
  const { manifest, sums, inside } = options;
  if ([manifest, sums, inside].filter((each) => each !== undefined).length !== 1)
    throw new UsageError("verify needs one of --manifest M, --sums FILE or --inside");
  return withFile(file, async (source) => {
    const answer = (isRight: boolean) => (options.check && !isRight ? 1 : 0);
    const print = (value: object, text: string) =>
      process.stdout.write(options.json ? `${JSON.stringify(value)}\n` : `${text}\n`);
    if (manifest !== undefined) {
      const only = options.only === undefined ? {} : { only: options.only };
      const result = await verifyAgainst(source, await readManifest(manifest), { make: nativeHasher, ...only });
      print(result, describeVerification(result));
      return answer(result.result === "same" || result.result === "same-files");
    }
    if (sums !== undefined) {
      const sum = checksumFor(readChecksums(await readText(sums)), source.name);
      if (!sum) throw new UsageError(`${visible(sums)}: no line in it names ${visible(source.name)}`);
      const digest = await digestSource(source, sum.hash, nativeHasher);
      const isRight = digest === sum.digest;
      print({ ...sum, found: digest, same: isRight }, checksumText(sum, isRight));
      return answer(isRight);
    }
    const found = await verifyInner(source, { make: nativeHasher });
    if (found.sums.length + found.archives.length === 0)
      throw new UsageError(`${visible(file)}: it carries no checksums of its own files`);
    print(found, [...found.sums.map(innerSumsText), ...found.archives.map(innerArchiveText)].join("\n"));
    return answer(found.sums.every((each) => each.differing.length === 0) && found.archives.every(isIntact));
  });
}

function describeVerification(result: Verification): string {
  return [
    verificationText(result),
    ...result.files.differing.map((each) => `  ${fileDifferenceText(each)}`),
    ...(result.files.more > 0 ? [`  and ${result.files.more} more`] : []),
    ...result.outsideFiles.map(
      (range) => `  outside all files: ${range.lengthBytes} bytes from byte ${range.start} on`,
    ),
  ].join("\n");
}

async function readText(path: string): Promise<string> {
  try {
    return await readFile(path, "utf8");
  } catch (error) {
    throw new UsageError(`${visible(path)}: ${fileProblem(error)}`);
  }
}

async function readManifest(path: string): Promise<Manifest> {
  const text = await readText(path);
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw new UsageError(`${visible(path)}: it is not JSON`);
  }
  const parsed = manifestSchema.safeParse(value);
  if (parsed.success) return parsed.data;
  const issue = parsed.error.issues[0];
  throw new UsageError(`${visible(path)}: not a manifest: ${visible(issue?.path.join(".") ?? "")}: ${issue?.message}`);
}
