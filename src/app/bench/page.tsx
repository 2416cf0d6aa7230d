import clsx from "clsx";
import type { Metadata } from "next";
import Link from "next/link";
import type { ReactNode } from "react";
import { resultText, trustText } from "@/core/words/bench";
import { confirmationText } from "@/core/words/problems";
import { type Berth, listBerths, looseDevices } from "@/server/bench/berths";
import { type HostItem, listHosts } from "@/server/bench/host-list";
import { type JobItem, listJobs } from "@/server/bench/jobs";
import type { Context } from "@/server/context";
import { usesBlockDevices } from "@/server/devices/block-devices";
import { listReleases } from "@/server/media/releases";
import { Size } from "@/ui/size";
import { plural, tagsText, zonedTimeText } from "@/ui/words";
import { currentContext } from "../_lib/context";
import { many, one, positive, type SearchParams } from "../_lib/params";
import { KeepCurrent } from "../_parts/keep-current";
import { BerthActs } from "./berth-acts";
import { contentText, deviceTitle, wearText } from "./device-text";
import { FaultChoice } from "./fault-choice";
import { JobMeter } from "./job-meter";
import { BenchNav } from "./nav";

export const metadata: Metadata = { title: "Bench" };

/** What the full width of a size bar stands for; a larger device goes past its end. */
const SCALE_BYTES = 64e9;

export default async function Bench({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const [berths, loose, jobs, hosts] = await Promise.all([
    listBerths(context),
    looseDevices(context),
    listJobs(context),
    listHosts(context),
  ]);
  // This server's own first; a host that is there is told of where nothing is in its ports, too.
  const ofHosts = hosts.map((host) => ({ host, own: berths.filter((berth) => berth.host?.id === host.id) }));
  const groups = [
    { host: null, own: berths.filter(({ host }) => host === null) },
    ...ofHosts.filter(({ host, own }) => host.isThere || own.some(({ device }) => device)),
  ];
  const wanted = await wantedOf(context, query);
  const filled = berths.filter(({ device }) => device).length;
  const choices = loose.map(({ id, model, serial, bytes, kind }) => ({
    id,
    kind,
    text: [model, serial, `${Math.round(bytes / 1e6).toLocaleString("en-GB")} MB`].filter(Boolean).join(", "),
  }));
  return (
    <>
      <BenchNav here="/bench" />
      <KeepCurrent mark="berths" />
      <div className="grid gap-x-10 gap-y-6 xl:grid-cols-[minmax(0,1fr)_21rem]">
        <section>
          <div className="flex items-baseline justify-between gap-4">
            <h1>Bench</h1>
            <Link prefetch={false} className="act-main" href="/bench/make">
              Make a medium
            </Link>
          </div>
          <p className="mt-1 text-quiet">
            {berths.length === 0
              ? usesBlockDevices()
                ? "No device connected. Insert a stick, card or disc; it appears within seconds."
                : "Real devices are off here. Add a bench host to use the ports of another computer, start the server with CREEL_BLOCK_DEVICES=1 (docs/operations.md), or register a medium made elsewhere under Media."
              : `${plural(berths.length, "berth")}, ${filled.toLocaleString("en-GB")} with a device in it. Bars are to one scale; full width: 64 GB.`}
          </p>
          {wanted && (
            <p className="mt-2 border-rope border-l-4 bg-rope-soft px-3 py-1.5">
              For <strong>{wanted.text}</strong>
              {wanted.tag && (
                <>
                  {" "}
                  on <span className="code font-bold">{wanted.tag}</span>
                </>
              )}
              : choose a berth.{" "}
              <Link prefetch={false} className="link" href="/bench">
                Something else
              </Link>
            </p>
          )}
          {groups.map(({ host, own }) => (
            <section key={host?.id ?? 0} aria-label={host ? `Bench host ${host.name}` : "This server"} className="mt-3">
              {groups.length > 1 && <GroupHead host={host} isEmpty={own.length === 0} />}
              <ul className={clsx("divide-y divide-line border-line", own.length > 0 && "border-y")}>
                {own.map((berth) => (
                  <li key={berth.id} className="py-2">
                    <div
                      className={clsx(
                        "grid gap-x-4 gap-y-1 border-l-4 pl-3 sm:grid-cols-[5.5rem_minmax(0,1fr)_auto]",
                        holdsTheOnly(berth) ? "border-rope" : "border-transparent",
                      )}
                    >
                      <span className="font-semibold">
                        {host ? berth.name.slice(host.name.length + 1) : berth.name}
                      </span>
                      <BerthBody berth={berth} />
                      <BerthActs
                        berth={{
                          id: berth.id,
                          name: berth.name,
                          version: berth.version,
                          jobId: berth.jobId,
                          isEmpty: berth.device === null,
                          isStore: berth.device?.row.isStore ?? false,
                          isMedium: berth.device?.medium != null,
                          isPort: berth.isPort,
                          isAway: berth.host !== null && !berth.host.isThere,
                          saysItIs: berth.device?.medium ? null : (berth.device?.look.pack?.medium.tag ?? null),
                          isForeign: isForeign(berth),
                          howToName: howToName(berth),
                        }}
                        makeHref={`/bench/make?${new URLSearchParams(`${wanted?.params ?? ""}&berth=${berth.id}`)}`}
                        isWished={wanted !== null}
                        loose={choices.filter(({ kind }) => (kind === "optical") === (berth.accepts === "optical"))}
                      />
                    </div>
                  </li>
                ))}
              </ul>
            </section>
          ))}
          <Simulation berths={berths} />
        </section>
        <aside aria-label="Jobs">
          <h2>Jobs</h2>
          {jobs.length === 0 && <p className="mt-2 text-quiet">No jobs yet.</p>}
          <ul className="mt-2 space-y-2.5">
            {jobs.slice(0, 12).map((item) => (
              <JobLine key={item.job.id} item={item} />
            ))}
          </ul>
        </aside>
      </div>
    </>
  );
}

/** Whose berths follow. */
function GroupHead({ host, isEmpty }: { host: HostItem | null; isEmpty: boolean }) {
  return (
    <h2 className="mb-1 flex flex-wrap items-baseline gap-x-3 text-[1rem]">
      {host ? host.name : "This server"}
      {host && !host.isThere && (
        <span className="font-normal text-plum">not connected since {zonedTimeText(host.seenAt)}</span>
      )}
      {isEmpty && <span className="font-normal text-quiet">No device in its ports.</span>}
    </h2>
  );
}

/** What is to be made, where somebody comes with that: its releases in words, and as the next page takes them. */
async function wantedOf(context: Context, query: Awaited<SearchParams>) {
  const ids = [one(query.release), ...many(query.beside)].flatMap((id) => positive(id) ?? []);
  if (ids.length === 0) return null;
  const names = new Map((await listReleases(context)).map(({ id, kitName, name }) => [id, `${kitName} ${name}`]));
  const [first, ...others] = ids.filter((id) => names.has(id));
  if (first === undefined) return null;
  const tag = one(query.tag)?.trim() ?? "";
  const params = new URLSearchParams({ release: String(first), way: one(query.way) ?? "", ...(tag ? { tag } : {}) });
  for (const id of others) params.append("beside", String(id));
  return { text: [first, ...others].map((id) => names.get(id)).join(" and "), tag, params: params.toString() };
}

/** Its end in bold: that is what is typed before a device is emptied. */
function Serial({ serial }: { serial: string | null }) {
  if (serial === null) return <span className="text-quiet">without a serial</span>;
  return (
    <span className="code">
      {serial.slice(0, -4)}
      <strong>{serial.slice(-4)}</strong>
    </span>
  );
}

/** It is somebody's only route, or holds images: not to be emptied in passing. */
function holdsTheOnly({ device }: Berth): boolean {
  return device !== null && device.loss.onlyRouteOf.length + device.loss.images.length > 0;
}

/** Something to start from is on it that nobody registered, and that has no records of its own. */
function isForeign({ device }: Berth): boolean {
  if (!device || device.medium || device.row.isStore || device.look.pack) return false;
  const { inspection } = device.look;
  return inspection !== null && inspection.container !== "unknown";
}

/** How a device is named before it is emptied for a test; a disc cannot be tested. */
function howToName({ name, device }: Berth): string | null {
  if (!device || device.row.kind === "optical") return null;
  return confirmationText({ serial: device.row.serial, tag: null, berth: name });
}

/** Faults that simulated devices can be given, away from the berths of real work. */
function Simulation({ berths }: { berths: Berth[] }) {
  const simulated = berths.flatMap(({ name, device, jobId }) =>
    device && device.fault !== null && jobId === null ? [{ name, id: device.row.id, fault: device.fault }] : [],
  );
  if (simulated.length === 0) return null;
  return (
    <details className="mt-5">
      <summary className="cursor-pointer font-semibold">Simulation</summary>
      <p className="text-quiet">Give a simulated device a fault, to see how Creel deals with it.</p>
      <ul className="mt-2 grid gap-1.5 sm:grid-cols-2">
        {simulated.map(({ name, id, fault }) => (
          <li key={id}>
            <FaultChoice deviceId={id} berth={name} fault={fault} />
          </li>
        ))}
      </ul>
    </details>
  );
}

function BerthBody({ berth }: { berth: Berth }) {
  const { device } = berth;
  if (!device) return <span className="text-quiet">empty</span>;
  const { row, alike, loss, look } = device;
  const wear = wearText(device);
  return (
    <div className="min-w-0">
      <p className="flex flex-wrap items-baseline gap-x-2">
        {device.medium && (
          <>
            <Link prefetch={false} className="code font-bold" href={`/media/${encodeURIComponent(device.medium.tag)}`}>
              {device.medium.tag}
            </Link>
            {device.medium.name && <strong>{device.medium.name}</strong>}
          </>
        )}
        <span>
          <strong>
            <Size bytes={row.bytes} />
          </strong>{" "}
          {deviceTitle(device)} <Serial serial={row.serial} />
        </span>
        {loss.onlyRouteOf.length > 0 && <Mark>Only route of {tagsText(loss.onlyRouteOf)}</Mark>}
        {loss.images.length > 0 && <Mark>Holds {plural(loss.images.length, "image")}</Mark>}
      </p>
      <Content bytes={row.bytes} partitions={look.inspection?.partitions ?? []} />
      <p className="text-quiet">
        {device.medium ? row.isStore && "Receives images: never written to as a whole." : contentText(device)} {wear}
      </p>
      {device.trust.reasons.map((reason) => (
        <p key={reason.code} className="text-plum">
          {trustText(reason)}
        </p>
      ))}
      {alike.length > 0 && (
        <p className="text-quiet">
          Looks like the {alike.length === 1 ? "device" : "devices"} in {new Intl.ListFormat("en-GB").format(alike)}:
          compare the serial.
        </p>
      )}
    </div>
  );
}

/** What is not to be lost, seen at once. */
function Mark({ children }: { children: ReactNode }) {
  return <span className="rounded-sm bg-rope-soft px-1.5 font-semibold text-[0.85rem] text-rope">{children}</span>;
}

/** The device to scale, with its partitions in their places. */
function Content({ bytes, partitions }: { bytes: number; partitions: { start: number; length: number }[] }) {
  const percent = (part: number) => `${Math.min(1, part / bytes) * 100}%`;
  return (
    <div
      aria-hidden="true"
      className="relative my-1 h-2 border border-quiet bg-sheet"
      style={{
        width: `${Math.max(0.6, Math.min(1, bytes / SCALE_BYTES) * 100)}%`,
        borderStyle: bytes > SCALE_BYTES ? "dashed" : "solid",
      }}
    >
      {partitions.map(({ start, length }) => (
        <span
          key={start}
          className="absolute inset-y-0 border-quiet border-r bg-rope-soft"
          style={{ left: percent(start), width: percent(length) }}
        />
      ))}
    </div>
  );
}

const KINDS = { prepare: "Make", verify: "Verify", capacity: "Test the capacity of" };

function JobLine({ item: { job, berth, device, release } }: { item: JobItem }) {
  const isHeld = ["queued", "running", "paused", "interrupted"].includes(job.state);
  return (
    <li className="border-line border-b pb-2">
      <Link prefetch={false} className="font-semibold" href={`/bench/jobs/${job.id}`}>
        {KINDS[job.kind]}{" "}
        {job.mediumTag ?? (job.request.kind === "prepare" ? job.request.plainStore?.name : null) ?? device.model}
      </Link>
      {release && ` from ${release}`} <span className="caption">in {berth}</span>
      {isHeld ? (
        <JobMeter
          initial={{
            id: job.id,
            state: job.state,
            phase: job.phase,
            doneBytes: job.doneBytes,
            totalBytes: job.totalBytes,
            rate: job.rate,
          }}
        />
      ) : (
        <p className={job.state === "failed" ? "text-plum" : "text-quiet"}>
          {job.result ? resultText(job.result) : job.state === "cancelled" ? "Cancelled." : ""}{" "}
          {job.endedAt && <span className="caption">{zonedTimeText(job.endedAt)}</span>}
        </p>
      )}
    </li>
  );
}
