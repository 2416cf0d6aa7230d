import { imageContents, roleOf } from "@/core/computer/facts/roles";
import type { DiskFacts, DiskPartition, Facts } from "@/core/computer/facts/schema";
import { fileSystemText } from "@/core/words/firmware";
import { visible } from "@/core/words/visible";
import { Size } from "@/ui/size";
import { Strip, type StripPart } from "@/ui/strip";
import { KeyPlace } from "./key-place";
import { RoleChoice } from "./role-choice";

const ROLE_TONES: Record<string, StripPart["tone"]> = {
  esp: "start",
  boot: "start",
  "bios-boot": "start",
  system: "system",
  recovery: "recovery",
  data: "data",
};
const ROLE_NAMES: Record<string, string> = {
  esp: "EFI system",
  boot: "start-up",
  "bios-boot": "boot (BIOS)",
  system: "system",
  recovery: "recovery",
  data: "data",
  swap: "swap",
  msr: "reserved",
};
/** Roles that a person can give. */
const CHOSEN_ROLES = ["esp", "boot", "system", "recovery", "data", "swap", "msr"];

/** What its type and content tell of a partition, whatever was set. */
function toldRole(partition: DiskPartition): string {
  const told = roleOf({ ...partition, role: null });
  return told ? `${ROLE_NAMES[told] ?? told}, by its type` : "not recorded";
}

const TAKE_TEXT = {
  must: "must be in an image",
  should: "usually in an image",
  leave: "left out on purpose",
};

/** Disks drawn to one scale, their partitions with roles, and what an image must hold to bring the computer back. */
export function Disks({ facts, computer }: { facts: Facts; computer: { id: number; version: number } }) {
  const disks = facts.disks ?? [];
  const scaleBytes = Math.max(1, ...disks.map((disk) => disk.bytes));
  if (disks.length === 0)
    return <p className="mt-5 text-quiet">{facts.disks === null ? "Disks not recorded." : "No disk."}</p>;
  return (
    <>
      {disks.map((disk, index) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: two disks may bear one name; their order is their identity
        <section key={index} className="mt-6">
          <h2>
            <span className="code">{visible(disk.name, 60)}</span> <Size bytes={disk.bytes} both />
          </h2>
          <p className="caption mb-1">
            {[
              disk.bus?.toUpperCase(),
              disk.model,
              disk.serial && `serial ${disk.serial}`,
              disk.table?.toUpperCase(),
              disk.sectorBytes && `${disk.sectorBytes.toLocaleString("en-GB")}-byte sectors`,
              disk.removable && "attached from outside",
            ]
              .filter(Boolean)
              .map((part) => visible(String(part), 80))
              .join(" · ")}
          </p>
          <Strip bytes={disk.bytes} scaleBytes={scaleBytes} parts={partsOf(disk)} label={disk.name} />
          <Partitions disk={disk} index={index} computer={computer} />
          <ImageLine disk={disk} />
        </section>
      ))}
    </>
  );
}

function Partitions({
  disk,
  index,
  computer,
}: {
  disk: DiskFacts;
  index: number;
  computer: { id: number; version: number };
}) {
  if (disk.partitions.length === 0) return <p className="mt-1 text-quiet">No partitions recorded.</p>;
  return (
    <table className="mt-2 w-full border-collapse">
      <caption className="sr-only">Partitions of {disk.name}</caption>
      <thead className="max-sm:sr-only">
        <tr className="border-line border-b text-left">
          <th className="py-1 pr-3 font-semibold">No.</th>
          <th className="py-1 pr-3 font-semibold">Role</th>
          <th className="py-1 pr-3 font-semibold">Content</th>
          <th className="py-1 pr-3 text-right font-semibold">Size</th>
          <th className="py-1 pr-3 text-right font-semibold">Used</th>
          <th className="py-1 font-semibold">In an image</th>
        </tr>
      </thead>
      <tbody>
        {imageContents(disk).map(({ partition, take }) => (
          <tr
            key={partition.number}
            className="border-line border-b align-top max-sm:grid max-sm:grid-cols-[1.5rem_minmax(0,1fr)_auto]"
          >
            <td className="py-1 pr-3 tabular-nums">{partition.number}</td>
            <td className="py-1 pr-3">
              <RoleChoice
                computer={computer}
                disk={index}
                partition={partition.number}
                role={partition.role && CHOSEN_ROLES.includes(partition.role) ? partition.role : ""}
                told={toldRole(partition)}
                roles={CHOSEN_ROLES.map((value) => ({ value, text: ROLE_NAMES[value] ?? value }))}
              />
              {partition.active && <span className="caption"> active</span>}
            </td>
            <td className="py-1 pr-3 max-sm:col-start-2 max-sm:row-start-2">
              {partition.filesystem ? fileSystemText(partition.filesystem) : <span className="text-quiet">–</span>}
              {partition.label && <span className="caption"> “{visible(partition.label, 40)}”</span>}
            </td>
            <td className="py-1 pr-3 text-right tabular-nums">
              <Size bytes={partition.bytes} />
            </td>
            <td className="py-1 pr-3 text-right tabular-nums max-sm:col-start-3 max-sm:row-start-2">
              {partition.usedBytes === null ? (
                <span className="text-quiet italic">not recorded</span>
              ) : (
                <Size bytes={partition.usedBytes} />
              )}
            </td>
            <td className="py-1 max-sm:col-span-2 max-sm:col-start-2 max-sm:text-quiet">
              {TAKE_TEXT[take]}
              {partition.encryption !== null && (
                <KeyPlace
                  computer={computer}
                  disk={index}
                  partition={partition.number}
                  title={`${disk.name} ${partition.number}`}
                  place={partition.keyPlace}
                />
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** What must be in an image of this disk, in one sentence. */
function ImageLine({ disk }: { disk: DiskFacts }) {
  const contents = imageContents(disk);
  const numbers = (take: "must" | "should") =>
    contents.filter((each) => each.take === take).map(({ partition }) => partition.number);
  const [must, should] = [numbers("must"), numbers("should")];
  if (must.length === 0) return null;
  const untold = contents.filter(({ role, take }) => role === null && take === "must").length;
  return (
    <p className="mt-2 text-quiet">
      An image that recovers the computer holds {partitionsText(must)}
      {should.length > 0 && `, usually ${partitionsText(should)} too`}; the target must be at least as large as the
      whole disk, not its partitions.
      {untold > 0 && " Unknown roles are counted in."}
    </p>
  );
}

function partitionsText(numbers: number[]): string {
  return `${numbers.length === 1 ? "partition" : "partitions"} ${numbers.join(", ").replace(/, (?=[^,]*$)/, " and ")}`;
}

function partsOf(disk: DiskFacts): StripPart[] {
  let next = 0;
  return disk.partitions.map((partition) => {
    const start = partition.start ?? next;
    next = start + partition.bytes;
    return {
      key: String(partition.number),
      start,
      bytes: partition.bytes,
      title: titleOf(partition),
      tone: ROLE_TONES[roleOf(partition) ?? ""] ?? "other",
    };
  });
}

function titleOf(partition: DiskPartition): string {
  const role = roleOf(partition);
  const name = role ? (ROLE_NAMES[role] ?? role) : `partition ${partition.number}`;
  return partition.filesystem ? `${name}, ${fileSystemText(partition.filesystem)}` : name;
}
