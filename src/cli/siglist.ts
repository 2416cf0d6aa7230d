import { readSignatureFile, type SignatureFile, type ToldEntry } from "@/core/formats/signature-file";
import { listFaultText } from "@/core/words/signature-lists";
import { visible } from "@/core/words/visible";
import { UsageError, withFile } from "./problems";

/** A file of lists is some ten kilobytes; firmware stores a few hundred at most. */
const FILE_MAX_BYTES = 16 << 20;

export function runSiglist(file: string, options: { json?: boolean }): Promise<void> {
  return withFile(file, async (source) => {
    if (source.sizeBytes > FILE_MAX_BYTES)
      throw new UsageError(`${visible(file)}: too large for a signature list (more than ${FILE_MAX_BYTES} bytes)`);
    const told = await readSignatureFile(await source.read(0, source.sizeBytes));
    const fault = told.fault && listFaultText(told.fault);
    if (options.json) process.stdout.write(`${JSON.stringify({ schema: "creel.siglist/1", ...told, fault })}\n`);
    else process.stdout.write(describe(told));
    if (fault) throw new UsageError(`${visible(file)}: ${fault.charAt(0).toLowerCase()}${fault.slice(1)}`);
  });
}

const FORMS: Record<SignatureFile["form"], string> = {
  lists: "signature lists",
  update: "an authenticated update of signature lists",
  variable: "a firmware variable with signature lists",
};

function describe(file: SignatureFile): string {
  const lines = [FORMS[file.form]];
  if (file.attributes) lines.push(`attributes  ${file.attributes.join(", ")}`);
  if (file.updatedAt) lines.push(`time        ${file.updatedAt}`);
  for (const { signer } of file.signers ?? [])
    lines.push(`signed by   ${visible(signer) || "a signer that it does not carry"}`);
  for (const entry of file.entries) lines.push(describeEntry(entry));
  return `${lines.join("\n")}\n`;
}

function describeEntry({ at, owner, kind, digest, certificate, revokedFrom }: ToldEntry): string {
  const head = `${String(at).padStart(8)}  ${kind.padEnd(11)}`;
  const tail = `  owner ${owner}`;
  if (!certificate)
    return `${head} ${digest ?? "a certificate that cannot be read"}${revokedFrom ? `, from ${revokedFrom} on` : ""}${tail}`;
  return `${head} ${visible(certificate.subjectName)}, ${certificate.notBefore.slice(0, 10)} to ${certificate.notAfter.slice(0, 10)}, ${certificate.key}, sha256 ${certificate.sha256}${tail}`;
}
