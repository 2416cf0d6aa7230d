import type { Inspection } from "@/core/medium/inspection/schema";
import { wimFaultText } from "@/core/words/archives";
import { signatureFaultText, systemText, unreadWhyText } from "@/core/words/contents";
import { inspectionDocument } from "@/core/words/documents/inspection";
import { environmentText, startedText } from "@/core/words/environment";
import { archText, fileSystemText } from "@/core/words/firmware";
import { binaryText, bytesText } from "@/core/words/sizes";
import { programKindText } from "@/core/words/start-paths";
import { visible } from "@/core/words/visible";
import { inspectFile, readSectorBytes } from "./problems";

export async function runInspect(
  file: string,
  options: { hash?: boolean; deep?: boolean; json?: boolean; sectorBytes?: string },
): Promise<void> {
  const { inspection } = await inspectFile(file, { ...options, sectorBytes: readSectorBytes(options.sectorBytes) });
  process.stdout.write(options.json ? `${JSON.stringify(inspectionDocument(inspection))}\n` : describe(inspection));
}

const CONTAINERS: Record<Inspection["container"], string> = {
  iso9660: "disc image (ISO 9660)",
  udf: "disc image (UDF)",
  "iso9660+udf": "disc image (ISO 9660 and UDF)",
  partitioned: "partitioned disk image",
  "bare-filesystem": "a file system without a partition table",
  folder: "a folder of a drive",
  wim: "archive of system images (WIM)",
  unknown: "not recognised",
};

function describe(inspection: Inspection): string {
  const { file, contents, whole } = inspection;
  const isBare = inspection.container === "bare-filesystem";
  const kind = isBare && whole ? ` (${fileSystemText(whole.filesystem)})` : "";
  const lines = [
    `${visible(file.name)}: ${CONTAINERS[inspection.container]}${kind}, ${bytesText(file.bytes)} (${binaryText(file.bytes)})`,
    ...(contents.label ? [`label     ${visible(contents.label)}`] : []),
    ...(contents.made ? [`made      ${contents.made}`] : []),
    ...(file.sha256 ? [`sha256    ${file.sha256}`] : []),
  ];
  for (const table of inspection.tables) lines.push(`table     ${table.kind.toUpperCase()}, ${table.state}`);
  for (const part of inspection.partitions) {
    lines.push(
      `${part.table.toUpperCase()} ${part.index}`.padEnd(10) +
        `${part.typeName}, ${fileSystemText(part.filesystem)}, ${bytesText(part.length)} at ${bytesText(part.start)}${part.label ? `, "${visible(part.label)}"` : ""}${part.active ? ", active" : ""}`,
    );
  }
  for (const entry of inspection.catalogue)
    lines.push(
      `entry ${entry.index}`.padEnd(10) + `${entry.platformName}, ${entry.startable ? "startable" : "not startable"}`,
    );
  const { startPaths, tables, findings } = inspectionDocument(inspection);
  if (startPaths.length === 0) lines.push("starts    nothing");
  for (const path of startPaths) {
    const firmware = path.firmware === "bios" ? "BIOS" : `UEFI ${archText(path.arch)}`;
    lines.push(
      `starts    ${path.as === "usb" ? "stick" : "disc "}  ${firmware}: ${visible(path.file)}${path.loader?.kind ? `, ${programKindText(path.loader.kind)},` : ""} in ${path.place}`,
    );
    for (const problem of path.problems) lines.push(`          but  ${visible(problem.text)}`);
  }
  lines.push(...describeContents(inspection));
  for (const found of [...tables.flatMap((table) => table.findings), ...findings])
    lines.push(found.severity.padEnd(10) + visible(found.text, 400));
  return `${lines.join("\n")}\n`;
}

/** Programs, systems, archives and drivers, a line each. */
function describeContents({ programs, contents }: Inspection): string[] {
  const lines: string[] = [];
  for (const program of programs) {
    const signed = program.signatures.map(
      (each) =>
        `${visible(each.signerName || "an unknown signer")}${each.fault ? ` (${signatureFaultText(each.fault)})` : ""}`,
    );
    lines.push(
      `program   ${visible(program.path)}, ${archText(program.machine ?? "unknown")}, ${signed.length > 0 ? `signed by ${signed.join(" and ")}` : "not signed"}`,
    );
    for (const allowance of program.builtIn?.allowed ?? [])
      lines.push(`          carries the certificate ${visible(allowance.name)} for the stage after it`);
  }
  if (contents.info) lines.push(`info      ${visible(contents.info)}`);
  for (const system of contents.systems ?? []) lines.push(`system    ${systemText(system)}`);
  for (const wim of contents.wims ?? []) {
    const part = wim.parts > 1 ? `, part ${wim.part} of ${wim.parts}` : "";
    lines.push(`archive   ${visible(wim.path)}, ${wim.solid ? "solid, " : ""}${wim.compression}${part}`);
    for (const image of wim.images)
      lines.push(
        `          ${image.index}  ${visible(image.name)}, ${bytesText(image.bytes)}${image.startable ? ", startable" : ""}`,
      );
    for (const fault of wim.faults) lines.push(`          but  ${visible(wimFaultText(fault), 400)}`);
  }
  for (const environment of contents.environments) {
    lines.push(`starts    ${visible(environment.path)}: ${visible(environmentText(environment), 300)}`);
    for (const started of environment.starts) lines.push(`          ${visible(startedText(started), 200)}`);
    if (environment.components.length > 0)
      lines.push(`          with ${visible(environment.components.join(", "), 600)}`);
  }
  for (const kernel of contents.kernels) lines.push(`kernel    ${visible(kernel.path)}, ${visible(kernel.release)}`);
  for (const live of contents.live) lines.push(`live      ${visible(live.path)}, ${bytesText(live.bytes)}`);
  if (contents.drivers) {
    const { kernel, entries, modules, infs } = contents.drivers;
    lines.push(
      `drivers   ${modules} kernel modules${kernel ? ` of ${visible(kernel)}` : ""}, ${infs} .inf files, ${entries} entries`,
    );
  }
  for (const file of contents.unread) lines.push(`not read  ${visible(file.path)}: ${unreadWhyText(file.why)}`);
  return lines;
}
