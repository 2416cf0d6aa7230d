import type { Inspection } from "@/core/inspection/schema";
import { archText, fileSystemText } from "@/core/words/firmware";
import { binaryText, bytesText } from "@/core/words/sizes";
import { visible } from "@/core/words/visible";
import { inspectFile } from "./problems";

export async function runInspect(file: string, options: { hash?: boolean; json?: boolean }): Promise<void> {
  const { inspection } = await inspectFile(file, options);
  process.stdout.write(options.json ? `${JSON.stringify(inspection)}\n` : describe(inspection));
}

const CONTAINERS: Record<Inspection["container"], string> = {
  iso9660: "disc image (ISO 9660)",
  udf: "disc image (UDF)",
  "iso9660+udf": "disc image (ISO 9660 and UDF)",
  partitioned: "partitioned disk image",
  "bare-filesystem": "a file system without a partition table",
  wim: "archive of system images (WIM)",
  unknown: "not recognised",
};

function describe(inspection: Inspection): string {
  const { file, contents } = inspection;
  const lines = [
    `${visible(file.name)}: ${CONTAINERS[inspection.container]}, ${bytesText(file.bytes)} (${binaryText(file.bytes)})`,
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
  if (inspection.startPaths.length === 0) lines.push("starts    nothing");
  for (const path of inspection.startPaths) {
    const firmware = path.firmware === "bios" ? "BIOS" : `UEFI ${archText(path.arch)}`;
    lines.push(
      `starts    ${path.as === "usb" ? "stick" : "disc "}  ${firmware}: ${visible(path.file)} in ${path.place}`,
    );
    for (const problem of path.problems) lines.push(`          but  ${visible(problem.text)}`);
  }
  for (const found of [...inspection.tables.flatMap((table) => table.findings), ...inspection.findings])
    lines.push(found.severity.padEnd(10) + visible(found.text, 400));
  return `${lines.join("\n")}\n`;
}
