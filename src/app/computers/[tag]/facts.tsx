import type { Facts as ComputerFacts, DiskFacts } from "@/core/facts/schema";
import { archText, fileSystemText } from "@/core/words/firmware";
import { binaryText } from "@/core/words/sizes";
import { Size } from "@/ui/size";
import { Strip, type StripPart } from "@/ui/strip";
import { firmwareText, formText } from "@/ui/words";

const NOT_KNOWN = "not known";

export function Facts({ facts, note }: { facts: ComputerFacts; note: string | null }) {
  const { firmware, computer } = facts;
  const secure = firmware.secureBoot?.state;
  const rows: [string, string][] = [
    ["Firmware", firmwareText(firmware)],
    ["Maker's version", [firmware.vendor, firmware.version].filter(Boolean).join(" ") || NOT_KNOWN],
    ["Legacy mode", firmware.kind === "bios" ? "does not apply" : (firmware.legacyMode ?? NOT_KNOWN)],
    [
      "Secure Boot",
      firmware.kind === "bios" ? "does not apply" : secure === "setup" ? "in set-up mode" : (secure ?? NOT_KNOWN),
    ],
    ["Start from USB", firmware.usbStart ?? NOT_KNOWN],
    ["Fast boot", firmware.fastBoot ?? NOT_KNOWN],
    ["Set-up key", firmware.keys?.setup ?? NOT_KNOWN],
    ["Start menu key", firmware.keys?.startMenu ?? NOT_KNOWN],
    ["Processor", facts.cpu?.arch ? archText(facts.cpu.arch) : NOT_KNOWN],
    ["Memory", facts.memoryBytes === null ? NOT_KNOWN : binaryText(facts.memoryBytes)],
    ["USB ports", facts.ports?.usb?.toString() ?? NOT_KNOWN],
    [
      "Optical drive",
      facts.ports?.optical === undefined || facts.ports?.optical === null
        ? NOT_KNOWN
        : facts.ports.optical
          ? "yes"
          : "none",
    ],
    ["Serial", computer.serial ?? NOT_KNOWN],
    ["Form", formText(computer.form)],
    [
      "Systems",
      (facts.systems ?? [])
        .map((system) => [system.name, system.version, system.edition].filter(Boolean).join(" "))
        .join(", ") || NOT_KNOWN,
    ],
  ];
  return (
    <section className="mt-6">
      <h2>Facts</h2>
      <dl className="mt-2 grid gap-x-8 sm:grid-cols-2">
        {rows.map(([name, value]) => (
          <div key={name} className="grid grid-cols-[8.5rem_1fr] border-line border-b py-1">
            <dt className="text-quiet">{name}</dt>
            <dd className={value === NOT_KNOWN ? "text-quiet italic" : ""}>{value}</dd>
          </div>
        ))}
      </dl>
      {note && <p className="mt-3 whitespace-pre-line">{note}</p>}
    </section>
  );
}

export function Disks({ facts }: { facts: ComputerFacts }) {
  const disks = facts.disks ?? [];
  const scaleBytes = Math.max(1, ...disks.map((disk) => disk.bytes));
  return (
    <section className="mt-6">
      <h2>Disks, to one scale</h2>
      {disks.length === 0 && (
        <p className="mt-1 text-quiet">{facts.disks === null ? "Not known: which disks it has." : "It has no disk."}</p>
      )}
      {disks.map((disk) => (
        <div key={disk.name} className="mt-3">
          <p className="mb-1">
            <span className="code font-bold">{disk.name}</span> <Size bytes={disk.bytes} both />{" "}
            <span className="caption">
              {[disk.bus, disk.model, disk.table?.toUpperCase(), disk.sectorBytes && `${disk.sectorBytes}-byte sectors`]
                .filter(Boolean)
                .join(" · ")}
            </span>
          </p>
          <Strip bytes={disk.bytes} scaleBytes={scaleBytes} parts={partsOf(disk)} label={disk.name} />
        </div>
      ))}
    </section>
  );
}

const ROLE_TONES: Record<string, StripPart["tone"]> = {
  esp: "start",
  system: "system",
  recovery: "recovery",
  data: "data",
};
const ROLE_NAMES: Record<string, string> = {
  esp: "EFI system",
  system: "system",
  recovery: "recovery",
  data: "data",
  swap: "swap",
  msr: "reserved",
};

function partsOf(disk: DiskFacts): StripPart[] {
  let next = 0;
  return disk.partitions.map((partition) => {
    const start = partition.start ?? next;
    next = start + partition.bytes;
    const name = partition.role ? (ROLE_NAMES[partition.role] ?? partition.role) : `partition ${partition.number}`;
    return {
      key: String(partition.number),
      start,
      bytes: partition.bytes,
      title: partition.filesystem ? `${name}, ${fileSystemText(partition.filesystem)}` : name,
      tone: ROLE_TONES[partition.role ?? ""] ?? "other",
    };
  });
}
