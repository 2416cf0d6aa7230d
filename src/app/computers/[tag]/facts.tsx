import type { ReactNode } from "react";
import { KEY_NAMES, type KeyCard, type KeyName, startKeys } from "@/core/computer/facts/key-cards";
import { type FactSource, type Provenance, sourceOf } from "@/core/computer/facts/merge";
import { missingFacts } from "@/core/computer/facts/missing";
import type { FactPath } from "@/core/computer/facts/paths";
import type { DeviceFacts, Facts, FirmwareFacts } from "@/core/computer/facts/schema";
import { parseModalias } from "@/core/computer/hardware/modalias";
import type { PciNames } from "@/core/computer/hardware/pci-ids";
import type { ListSummary, SecureBootSummary } from "@/core/computer/secure-boot/lists";
import type { CertificateFacts } from "@/core/crypto/certificate";
import { factTitle, missingText, sourceText } from "@/core/words/facts";
import { archText } from "@/core/words/firmware";
import { supportText } from "@/core/words/needs";
import { listFaultText } from "@/core/words/signature-lists";
import { binaryText } from "@/core/words/sizes";
import { visible } from "@/core/words/visible";
import type { SystemSupport } from "@/server/inventory/calendars";
import { dateText, firmwareText, formText, plural } from "@/ui/words";

const NOT_KNOWN = "not recorded";

interface FactsViewProps {
  facts: Facts;
  provenance: Provenance;
  note: string | null;
  lists: SecureBootSummary;
  card: KeyCard | null;
  names: PciNames;
  supports: (SystemSupport | null)[];
  today: string;
}

/** Everything that is known of a computer, each fact with where it is from. */
export function FactsView({ facts, provenance, note, lists, card, names, supports, today }: FactsViewProps) {
  const missing = missingFacts(facts);
  const from = (path: FactPath) => sourceOf(provenance, path);
  return (
    <>
      {missing.length > 0 && (
        <p className="mt-4 border-slate border-l-4 bg-slate-soft px-3 py-2">
          Missing facts: {missing.map(missingText).join("; ")}.
        </p>
      )}
      {note && <p className="mt-4 whitespace-pre-line">{note}</p>}
      <Group title="The computer">
        <Row path="computer/make" value={facts.computer.make} from={from} />
        <Row path="computer/model" value={facts.computer.model} from={from} />
        <Row path="computer/serial" value={facts.computer.serial} from={from} code />
        <Row path="computer/form" value={facts.computer.form && formText(facts.computer.form)} from={from} />
        {facts.computer.uuid && <Row path="computer/uuid" value={facts.computer.uuid} from={from} code />}
        {facts.computer.addresses && (
          <Row path="computer/addresses" value={facts.computer.addresses.join(", ")} from={from} code />
        )}
        <Row path="cpu/name" value={facts.cpu?.name} from={from} />
        <Row path="cpu/arch" value={facts.cpu?.arch && archText(facts.cpu.arch)} from={from} />
        <Row path="memoryBytes" value={facts.memoryBytes === null ? null : binaryText(facts.memoryBytes)} from={from} />
        <Row path="ports/usb" value={facts.ports?.usb?.toString()} from={from} />
        {facts.ports?.usbC != null && <Row path="ports/usbC" value={facts.ports.usbC.toString()} from={from} />}
        <Row path="ports/optical" value={yesNo(facts.ports?.optical)} from={from} />
        {facts.ports?.management && <Row path="ports/management" value={facts.ports.management} from={from} code />}
      </Group>
      <Firmware facts={facts} from={from} card={card} />
      {facts.firmware.kind !== "bios" && <SecureBoot lists={lists} from={from} today={today} />}
      <Group title="Systems">
        {(facts.systems ?? []).map((system, index) => {
          const support = supports[index];
          return (
            <Line
              key={system.name}
              name={visible(system.name, 80)}
              source={from(`systems/${system.name.toLowerCase()}/name`)}
            >
              {[
                system.version,
                system.build && `build ${system.build}`,
                system.edition,
                system.arch,
                system.language,
                system.partition && `on ${system.partition}`,
              ]
                .filter(Boolean)
                .map((part) => visible(String(part), 80))
                .join(" · ") || NOT_KNOWN}
              {support && (
                <span className={support.support.state === "ended" ? "block text-plum" : "block text-quiet"}>
                  {support.release.codename}: {supportText(support.support, dateText)}
                </span>
              )}
            </Line>
          );
        })}
        {(facts.systems ?? []).length === 0 && <p className="py-1 text-quiet italic">{NOT_KNOWN}</p>}
      </Group>
      <Devices devices={facts.devices} names={names} source={from("devices/pci") ?? from("devices/usb")} />
    </>
  );
}

function yesNo(value: boolean | null | undefined): string | null {
  return value === null || value === undefined ? null : value ? "yes" : "none";
}

function Group({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="mt-6">
      <h2>{title}</h2>
      <div className="mt-1 border-line border-t">{children}</div>
    </section>
  );
}

/** One fact: name, value, and small beside it where it is from. */
function Line({ name, source, children }: { name: string; source: FactSource | null; children: ReactNode }) {
  return (
    <div className="grid grid-cols-[10rem_minmax(0,1fr)] gap-x-3 border-line border-b py-1 md:grid-cols-[11rem_minmax(0,1fr)_15rem]">
      <span className="text-quiet">{name}</span>
      <span className="min-w-0 break-words">{children}</span>
      <span className="caption col-start-2 md:col-start-3 md:text-right">
        {source && (
          <>
            {sourceText(source)}, <span className="whitespace-nowrap">{dateText(source.at)}</span>
          </>
        )}
      </span>
    </div>
  );
}

function Row({
  path,
  value,
  from,
  code = false,
}: {
  path: FactPath;
  value: string | null | undefined;
  from: (path: FactPath) => FactSource | null;
  code?: boolean;
}) {
  return (
    <Line name={factTitle(path)} source={from(path)}>
      {value ? (
        <span className={code ? "code" : undefined}>{visible(value)}</span>
      ) : (
        <span className="text-quiet italic">{NOT_KNOWN}</span>
      )}
    </Line>
  );
}

const KEY_TITLES: Record<KeyName, string> = { setup: "Setup key", startMenu: "Boot menu key", save: "Save key" };

function Firmware({
  facts,
  from,
  card,
}: {
  facts: Facts;
  from: (path: FactPath) => FactSource | null;
  card: KeyCard | null;
}) {
  const { firmware } = facts;
  const keys = startKeys(firmware.keys, card, facts.computer.form);
  const order = orderText(firmware);
  return (
    <Group title="Firmware">
      <Line name="Firmware" source={from("firmware/kind")}>
        {firmwareText(firmware)}
      </Line>
      <Row path="firmware/vendor" value={firmware.vendor} from={from} />
      <Row path="firmware/version" value={firmware.version} from={from} />
      {firmware.kind !== "bios" && <Row path="firmware/legacyMode" value={firmware.legacyMode} from={from} />}
      <Row path="firmware/usbStart" value={firmware.usbStart} from={from} />
      <Row path="firmware/fastBoot" value={firmware.fastBoot} from={from} />
      {firmware.setupPassword && (
        <Line name="Setup password" source={from("firmware/setupPassword")}>
          {firmware.setupPassword === "none"
            ? "none"
            : firmware.setupPasswordPlace
              ? `set; location: ${visible(firmware.setupPasswordPlace)}`
              : "set; location not recorded"}
        </Line>
      )}
      {KEY_NAMES.map((name) => (
        <Line key={name} name={KEY_TITLES[name]} source={from(`firmware/keys/${name}`)}>
          {keys[name].key}
          {keys[name].from !== "computer" && (
            <span className="caption">
              {" "}
              {keys[name].from === "card" ? "(from the boot key card of its model)" : "(a guess: usual in the trade)"}
            </span>
          )}
        </Line>
      ))}
      {card?.diskFit && (
        <Line name="Disk fitting" source={null}>
          {visible(card.diskFit, 500)}
        </Line>
      )}
      {card?.quirks && (
        <Line name="Quirks of the model" source={null}>
          <span className="whitespace-pre-line">{visible(card.quirks, 2000)}</span>
        </Line>
      )}
      {order && (
        <Line name="Start order" source={from("firmware/startOrder")}>
          <ol className="list-decimal pl-5">
            {order.map((entry, index) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: an order may name one twice; the place is its identity
              <li key={index}>{entry}</li>
            ))}
          </ol>
        </Line>
      )}
    </Group>
  );
}

function orderText({ startOrder, entries }: FirmwareFacts): string[] | null {
  if (!startOrder) return null;
  return startOrder.map((id) => {
    const entry = entries?.find((each) => each.id === id);
    if (!entry) return visible(id, 60);
    const path = entry.path ? `, ${visible(entry.path, 120)}` : "";
    return `${visible(entry.name, 80)}${path}${entry.active === false ? " (switched off)" : ""}`;
  });
}

const STATE_TEXT = { on: "on", off: "off", setup: "in setup mode: nothing is checked", absent: "absent" };

function SecureBoot({
  lists,
  from,
  today,
}: {
  lists: SecureBootSummary;
  from: (path: FactPath) => FactSource | null;
  today: string;
}) {
  const path = (name: string) => from(`firmware/secureBoot/${name}`);
  return (
    <Group title="Secure Boot">
      <Line name="State" source={path("state")}>
        {lists.state ? STATE_TEXT[lists.state] : <span className="text-quiet italic">{NOT_KNOWN}</span>}
      </Line>
      <Line name="Allows (db)" source={path("db")}>
        <List list={lists.db} today={today} revoked={lists} />
      </Line>
      <Line name="Revokes (dbx)" source={path("dbx")}>
        <List list={lists.dbx} today={today} />
      </Line>
      <Line name="Least generations" source={path("sbatLevel")}>
        {lists.sbatLevel ? (
          lists.sbatLevel
            .filter((row) => row.component !== "sbat")
            .map((row) => `${visible(row.component, 40)} ${row.generation}`)
            .join(", ") || "none required"
        ) : (
          <span className="text-quiet italic">{NOT_KNOWN}</span>
        )}
      </Line>
      <Line name="Changes db (KEK)" source={path("kek")}>
        <List list={lists.kek} today={today} />
      </Line>
      <Line name="Owns the lists (PK)" source={path("pk")}>
        <List list={lists.pk} today={today} />
      </Line>
    </Group>
  );
}

function List({ list, today, revoked }: { list: ListSummary | null; today: string; revoked?: SecureBootSummary }) {
  if (!list) return <span className="text-quiet italic">{NOT_KNOWN}</span>;
  const isRevoked = (certificate: CertificateFacts) =>
    revoked?.signers !== undefined &&
    revoked.signers !== null &&
    !revoked.signers.some((each) => each.sha256 === certificate.sha256);
  const others = list.digests + list.certificateDigests.length;
  return (
    <>
      {list.fault && <span className="block text-plum">{listFaultText(list.fault)}</span>}
      {list.certificates.map((certificate) => (
        <span key={certificate.sha256} className="block" title={`SHA-256 ${certificate.sha256}`}>
          {visible(certificate.name, 100)}{" "}
          <span className="caption">
            {dateText(certificate.notBefore)} to {dateText(certificate.notAfter)}
            {certificate.notAfter < today &&
              " (past its end: it still counts for what it signed, firmware reads no dates)"}
          </span>
          {isRevoked(certificate) && <strong className="text-plum"> revoked by dbx</strong>}
        </span>
      ))}
      {others > 0 && <span className="block">{plural(others, "hash", "hashes")}</span>}
      {list.others > 0 && (
        <span className="block text-quiet">{plural(list.others, "entry", "entries")} of other kinds</span>
      )}
      {list.certificates.length + others + list.others === 0 && !list.fault && "empty"}
    </>
  );
}

const USE_TITLES: Record<string, string> = {
  storage: "Storage",
  network: "Network",
  display: "Display",
  input: "Input",
  "usb-controller": "USB",
  other: "Other",
};

function Devices({
  devices,
  names,
  source,
}: {
  devices: DeviceFacts[] | null;
  names: PciNames;
  source: FactSource | null;
}) {
  const list = [...(devices ?? [])].sort(
    (a, b) => Object.keys(USE_TITLES).indexOf(a.class ?? "other") - Object.keys(USE_TITLES).indexOf(b.class ?? "other"),
  );
  return (
    <Group title={devices ? `Devices: ${devices.length}` : "Devices"}>
      {source && <p className="caption py-1">{`${sourceText(source)}, ${dateText(source.at)}`}</p>}
      {list.length === 0 && <p className="py-1 text-quiet italic">{devices ? "none" : NOT_KNOWN}</p>}
      {list.map(({ modalias, class: use, name }) => (
        <div key={modalias} className="grid grid-cols-[6rem_minmax(0,1fr)] gap-x-3 border-line border-b py-1">
          <span className="text-quiet">{USE_TITLES[use ?? "other"] ?? "Other"}</span>
          <span className="min-w-0">
            {deviceName(modalias, name, names)}
            <span className="code caption block truncate" title={modalias}>
              {visible(modalias, 120)}
            </span>
          </span>
        </div>
      ))}
    </Group>
  );
}

/** The name that the open list has, else the one that a tool told. */
export function deviceName(modalias: string, told: string | null, names: PciNames): string {
  const parsed = parseModalias(modalias);
  const listed = parsed?.bus === "pci" ? names.name(parsed) : null;
  return visible(listed ?? told ?? "not named", 120);
}
