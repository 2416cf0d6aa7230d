import { type Severity, severityOf } from "@/core/medium/findings/findings";
import type { Inspection } from "@/core/medium/inspection/schema";
import { isOpenEnded, startPathsOf } from "@/core/medium/inspection/start-paths";
import { findingText } from "@/core/words/findings";
import { archText, fileSystemText, startCodeText } from "@/core/words/firmware";
import { placeText } from "@/core/words/places";
import { bytesText } from "@/core/words/sizes";
import { programKindText, startProblemText } from "@/core/words/start-paths";
import { visible } from "@/core/words/visible";
import { ChainLink } from "@/ui/chain";
import { Size } from "@/ui/size";
import { Strip, type StripPart } from "@/ui/strip";
import { dateText } from "@/ui/words";

const CONTAINERS: Record<Inspection["container"], string> = {
  iso9660: "Disc image (ISO 9660)",
  udf: "Disc image (UDF)",
  "iso9660+udf": "Disc image (ISO 9660 and UDF)",
  partitioned: "Disk image with partitions",
  "bare-filesystem": "File system without a partition table",
  folder: "Folder of a drive",
  wim: "Archive of system images (WIM)",
  unknown: "Not recognised",
};

/** What was read from a medium: its partitions to scale, its boot paths, its findings. */
export function InspectionView({
  inspection,
  capacityBytes = null,
}: {
  inspection: Inspection;
  capacityBytes?: number | null;
}) {
  const { file, contents } = inspection;
  const findings = findingsOf(inspection);
  return (
    <>
      <p>
        {CONTAINERS[inspection.container]}
        {inspection.container === "bare-filesystem" && inspection.whole && (
          <> ({fileSystemText(inspection.whole.filesystem)})</>
        )}
        , <Size bytes={file.bytes} both />
        {contents.label && (
          <>
            , labelled <span className="code">{visible(contents.label, 60)}</span>
          </>
        )}
        {contents.made && <>, made {dateText(contents.made)}</>}
      </p>
      <div className="mt-3">
        <Strip bytes={file.bytes} parts={partsOf(inspection)} label={visible(file.name, 80)} />
        {capacityBytes !== null && capacityBytes > file.bytes && (
          <div className="mt-2">
            <p className="caption">The whole medium, to scale: {bytesText(capacityBytes - file.bytes)} unused.</p>
            <Strip
              bytes={capacityBytes}
              parts={[{ key: "read", start: 0, bytes: file.bytes, title: "what was read", tone: "system" }]}
              label="The whole medium"
            />
          </div>
        )}
        <PartitionTable inspection={inspection} />
      </div>
      {findings.length > 0 && (
        <>
          <h2 className="mt-5">Findings</h2>
          <ul className="mt-1 space-y-1">
            {findings.map((found) => (
              <li key={JSON.stringify(found)} className="grid grid-cols-[4.6rem_1fr]">
                <span className={SEVERITY_STYLE[severityOf(found)]}>{severityOf(found)}</span>
                <span>{visible(findingText(found), 500)}</span>
              </li>
            ))}
          </ul>
        </>
      )}
      <h2 className="mt-5">Boot paths</h2>
      <StartPaths inspection={inspection} />
      <p className="caption mt-4 break-all">
        {visible(file.name, 160)}
        {file.sha256 ? (
          <>
            {" "}
            · SHA-256 <span className="code">{file.sha256}</span>
          </>
        ) : (
          " · checksum not computed"
        )}
      </p>
    </>
  );
}

const GRAVITY = ["fault", "caution", "info"];
const SEVERITY_STYLE: Record<Severity, string> = {
  fault: "font-bold text-plum",
  caution: "font-semibold text-rope",
  info: "text-quiet",
};

/** All findings, the gravest first. */
function findingsOf(inspection: Inspection): Inspection["findings"] {
  const all = [...inspection.tables.flatMap((table) => table.findings), ...inspection.findings];
  return all.sort((a, b) => GRAVITY.indexOf(severityOf(a)) - GRAVITY.indexOf(severityOf(b)));
}

function partsOf(inspection: Inspection): StripPart[] {
  if (inspection.partitions.length > 0 && inspection.container === "partitioned") {
    return inspection.partitions
      .filter((partition) => !partition.typeName.startsWith("extended"))
      .map((partition) => ({
        key: `${partition.table}${partition.index}`,
        start: partition.start,
        bytes: partition.length,
        title: `${partition.index}: ${partition.label ? visible(partition.label, 40) : partition.typeName}`,
        tone: partition.typeName === "EFI system" || partition.active ? "start" : "data",
      }));
  }
  const title = inspection.contents.label ? visible(inspection.contents.label, 40) : CONTAINERS[inspection.container];
  return inspection.container === "unknown"
    ? []
    : [
        {
          key: "whole",
          start: 0,
          bytes: inspection.file.bytes,
          title,
          tone: inspection.container === "bare-filesystem" ? "start" : "system",
        },
      ];
}

function PartitionTable({ inspection }: { inspection: Inspection }) {
  if (inspection.partitions.length === 0) return null;
  return (
    <table className="mt-2 w-full text-[0.9rem]">
      <caption className="sr-only">Partitions</caption>
      <tbody>
        {inspection.partitions.map((partition) => (
          <tr key={`${partition.table}${partition.index}`} className="border-line border-b">
            <td className="py-0.5 pr-3 whitespace-nowrap">
              {partition.table.toUpperCase()} {partition.index}
            </td>
            <td className="pr-3">{partition.typeName}</td>
            <td className="pr-3">{fileSystemText(partition.filesystem)}</td>
            <td className="pr-3">{partition.label && <span className="code">{visible(partition.label, 40)}</span>}</td>
            <td className="text-right">
              <Size bytes={partition.length} />
            </td>
            <td className="pl-3">{partition.active && "active"}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function StartPaths({ inspection }: { inspection: Inspection }) {
  // A folder does not tell how it is laid out: what would start from it is one list, and open.
  const isOfFolder = inspection.views.from === "folder";
  const startPaths = startPathsOf(inspection).filter(({ as }) => !isOfFolder || as === "usb");
  if (startPaths.length === 0) return <p className="mt-1">None: no firmware finds anything to start here.</p>;
  return (
    <table className="mt-1 w-full text-[0.9rem]">
      <caption className="sr-only">Boot paths</caption>
      <thead className="sr-only">
        <tr>
          <th>State</th>
          <th>As</th>
          <th>Firmware</th>
          <th>Loader</th>
        </tr>
      </thead>
      <tbody>
        {startPaths.map((path) => {
          const { problem } = path;
          const isOpen = problem === null ? isOfFolder : isOpenEnded(path);
          const verdict = isOpen ? "unknown" : problem === null ? "holds" : "broken";
          return (
            <tr key={`${path.as}${path.firmware}${path.arch}`} className="border-line border-b align-top">
              <td className="w-9 py-1">
                <ChainLink verdict={verdict} height={13} />
              </td>
              <td className="w-14 py-1">{path.as === "usb" ? "stick" : "disc"}</td>
              <td className="w-36 py-1 whitespace-nowrap">
                {path.firmware === "bios" ? "BIOS" : `UEFI ${archText(path.arch)}`}
              </td>
              <td className="py-1">
                <span className={path.firmware === "uefi" ? "code" : ""}>
                  {visible(path.firmware === "bios" ? startCodeText(path.program) : path.file, 80)}
                </span>{" "}
                <span className="text-quiet">
                  {path.firmware === "uefi" && path.loader.kind && `${programKindText(path.loader.kind)}, `}
                  in {isOfFolder ? "the folder" : placeText(path.place)}
                </span>
                {problem && <div className="text-plum">{visible(startProblemText(problem), 400)}</div>}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
