import clsx from "clsx";
import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import { ContentsView } from "@/app/_reading/contents-view";
import { DriverLists } from "@/app/_reading/drives-view";
import { FolderView } from "@/app/_reading/folder-view";
import { InspectionView } from "@/app/_reading/inspection-view";
import { ProgramsView } from "@/app/_reading/programs-view";
import { folderItems } from "@/core/medium/volumes/listing";
import { fileSystemText } from "@/core/words/firmware";
import { problemText } from "@/core/words/problems";
import { releaseFactsText } from "@/core/words/releases";
import { servesText } from "@/core/words/routes";
import { volumeText } from "@/core/words/trees";
import { visible } from "@/core/words/visible";
import type { Context } from "@/server/context";
import { pciNames } from "@/server/host/hardware-names";
import { contentsKept, listingOf, readDrivers } from "@/server/inspections/contents";
import { history } from "@/server/inventory/events";
import { drivesComputer, getRelease, mediaOf, type ReleaseDetail } from "@/server/media/releases";
import { EventList } from "@/ui/event-line";
import { Station } from "@/ui/station";
import { Parts } from "@/ui/ways";
import { dateText, mediumKindText, plural } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { one, type SearchParams } from "../../_lib/params";
import { deviceName } from "../../computers/[tag]/facts";
import { KitList } from "../../kits/list";
import { KitsNav } from "../../kits/nav";
import { ManifestBench } from "./manifest-bench";

const SHOWS = [
  { key: "starts", name: "Starts" },
  { key: "signed", name: "Signed by" },
  { key: "holds", name: "Contents" },
  { key: "drives", name: "Drivers" },
  { key: "inside", name: "Files" },
  { key: "whole", name: "Integrity" },
  { key: "media", name: "Media" },
  { key: "history", name: "History" },
] as const;
type Show = (typeof SHOWS)[number]["key"];

interface Props {
  params: Promise<{ id: string }>;
  searchParams: SearchParams;
}

const idOf = async (params: Props["params"]) => Number((await params).id) || 0;

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  const detail = await getRelease(await currentContext(), await idOf(params));
  return { title: detail ? `${detail.kit.name} ${detail.row.name}` : "Release" };
}

export default async function Release({ params, searchParams }: Props) {
  const [context, id, query] = await Promise.all([currentContext(), idOf(params), searchParams]);
  const detail = await getRelease(context, id);
  if (!detail) notFound();
  const { row, kit } = detail;
  const show: Show = SHOWS.find((each) => each.key === one(query.show))?.key ?? "starts";
  const text = releaseFactsText(detail.facts);
  return (
    <>
      <KitsNav here={null} />
      <Station
        chosen
        list={<KitList context={context} chosen={id} />}
        detail={
          <article>
            <header className="flex flex-wrap items-start justify-between gap-3">
              <div>
                <h1>
                  {kit.name} {row.name}
                </h1>
                <p className="text-quiet">
                  {kit.family && `${kit.family} · `}
                  {row.madeOn ? `made ${dateText(row.madeOn)}` : "no date recorded"}
                  {kit.purpose && ` · ${kit.purpose}`}
                </p>
              </div>
              <Link prefetch={false} className="act" href={`/releases/${id}/edit`}>
                Edit
              </Link>
            </header>
            {detail.supersededBy && (
              <p className="mt-2 border-rope border-l-4 bg-rope-soft px-3 py-1.5">
                Superseded by{" "}
                <Link prefetch={false} className="link font-bold" href={`/releases/${detail.supersededBy.id}`}>
                  {detail.supersededBy.text}
                </Link>
                .{" "}
                <Link prefetch={false} className="link" href={`/releases/compare?a=${id}&b=${detail.supersededBy.id}`}>
                  What changed
                </Link>
              </p>
            )}
            <p className="mt-2">{text || <span className="text-quiet">Abilities not recorded.</span>}</p>
            {detail.supersedes.length > 0 && (
              <p className="text-quiet">
                Supersedes{" "}
                {detail.supersedes.map((each, index) => (
                  <span key={each.id}>
                    {index > 0 && ", "}
                    <Link prefetch={false} className="link" href={`/releases/compare?a=${each.id}&b=${id}`}>
                      {each.text}
                    </Link>
                  </span>
                ))}
                .
              </p>
            )}
            {row.note && <p className="mt-2 whitespace-pre-line">{row.note}</p>}
            <Parts
              label="About this release"
              parts={SHOWS.map(({ key, name }) => ({ href: `/releases/${id}?show=${key}`, name }))}
              here={`/releases/${id}?show=${show}`}
            />
            <div className="mt-4">
              {show === "media" ? (
                <Media context={context} id={id} />
              ) : show === "history" ? (
                <History context={context} id={id} />
              ) : (
                <ReadPart context={context} detail={detail} show={show} query={await searchParams} />
              )}
            </div>
          </article>
        }
      />
    </>
  );
}

async function ReadPart({
  context,
  detail,
  show,
  query,
}: {
  context: Context;
  detail: ReleaseDetail;
  show: Exclude<Show, "media" | "history">;
  query: Awaited<SearchParams>;
}) {
  const { inspection, row } = detail;
  const inspectionId = row.inspectionId;
  if (!inspection || inspectionId === null)
    return (
      <p>
        Not read yet: contents unknown.{" "}
        <Link prefetch={false} className="link" href={`/releases/${row.id}/edit`}>
          Drop its file
        </Link>
        .
      </p>
    );
  switch (show) {
    case "starts":
      return (
        <>
          <InspectionView inspection={inspection} />
          <p className="caption">Read {dateText(detail.readAt)}.</p>
        </>
      );
    case "signed":
      return <ProgramsView programs={inspection.programs} today={context.now().toISOString()} />;
    case "holds":
      return <ContentsView inspection={inspection} />;
    case "drives":
      return <Drives context={context} id={row.id} inspectionId={inspectionId} tag={one(query.of)?.trim() ?? ""} />;
    case "inside":
      return <Inside context={context} id={row.id} inspectionId={inspectionId} query={query} />;
    case "whole": {
      const { manifestAt } = await contentsKept(context, inspectionId);
      return (
        <ManifestBench
          inspectionId={inspectionId}
          fileName={inspection.file.name}
          sha256={inspection.file.sha256}
          madeAt={manifestAt?.toISOString() ?? null}
        />
      );
    }
  }
}

async function Drives({
  context,
  id,
  inspectionId,
  tag,
}: {
  context: Context;
  id: number;
  inspectionId: number;
  tag: string;
}) {
  const [drivers, names] = await Promise.all([readDrivers(context, inspectionId), pciNames()]);
  if (!drivers) return <p>Driver list not recorded: controllers and networks unknown.</p>;
  const answer = tag ? await drivesComputer(context, inspectionId, tag) : null;
  const devices = answer?.ok ? answer.value : null;
  const lacking = devices?.filter((each) => each.claimants.length === 0) ?? [];
  return (
    <div>
      <form action={`/releases/${id}`} className="flex max-w-xl items-end gap-2">
        <input type="hidden" name="show" value="drives" />
        <label className="flex-1">
          <span className="font-semibold">Check drivers for computer (tag)</span>
          <input className="field" name="of" defaultValue={tag} autoComplete="off" />
        </label>
        <button type="submit" className="act">
          Check drivers
        </button>
      </form>
      {answer && !answer.ok && (
        <p role="alert" className="mt-2 text-plum">
          {problemText(answer.problem)}
        </p>
      )}
      {devices && devices.length === 0 && (
        <p className="mt-3">Of {tag} devices not recorded. Import its facts, then check again.</p>
      )}
      {devices && devices.length > 0 && (
        <>
          <p className="mt-3 text-lg">
            {lacking.length === 0
              ? `Drivers for every recorded device of ${tag}.`
              : `No driver for ${plural(lacking.length, "device")} of ${plural(devices.length, "recorded device")} of ${tag}.`}
          </p>
          <table className="mt-2 w-full text-[0.92rem]">
            <caption className="sr-only">Devices of {tag} and their drivers</caption>
            <tbody>
              {devices.map((device) => (
                <tr key={device.modalias} className="border-line border-b align-top">
                  <td className="py-1 pr-3">{visible(device.use, 30)}</td>
                  <td className="py-1 pr-3">
                    <div>{visible(deviceName(device.modalias, device.name, names), 120)}</div>
                    <div className="caption code break-all">{visible(device.modalias, 120)}</div>
                  </td>
                  <td className="py-1">
                    {device.claimants.length === 0 ? (
                      <span className="font-semibold text-plum">no driver</span>
                    ) : (
                      [...new Set(device.claimants.map((each) => each.driver))]
                        .slice(0, 3)
                        .map((each) => visible(each, 60))
                        .join(", ")
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      <DriverLists drivers={drivers.map(({ drivers: own, ...rest }) => ({ ...rest, drivers: countsOnly(own) }))} />
    </div>
  );
}

/** A page needs to know how many drivers a list has, not each of their patterns. */
function countsOnly(drivers: Record<string, string[]>): Record<string, string[]> {
  return Object.fromEntries(Object.keys(drivers).map((name) => [name, []]));
}

async function Inside({
  context,
  id,
  inspectionId,
  query,
}: {
  context: Context;
  id: number;
  inspectionId: number;
  query: Awaited<SearchParams>;
}) {
  const listing = await listingOf(context, inspectionId);
  const volumes = listing?.volumes ?? [];
  const volume = volumes.find((each) => String(each.id) === one(query.in)) ?? volumes[0];
  if (!volume) return <p>Files not listed.</p>;
  const path = one(query.at) ?? "";
  const href = (volumeId: string | number, at: string) =>
    `/releases/${id}?${new URLSearchParams({ show: "inside", in: String(volumeId), ...(at ? { at } : {}) })}`;
  return (
    <div>
      {volumes.length > 1 && (
        <p className="mb-3 flex flex-wrap gap-2">
          {volumes.map((each) => (
            <Link
              key={String(each.id)}
              prefetch={false}
              scroll={false}
              className={clsx("act", each === volume && "bg-rope-soft")}
              aria-current={each === volume ? "true" : undefined}
              href={href(each.id, "")}
            >
              {volumeText(each.id as never)}
              {typeof each.id === "number" && `, ${fileSystemText(each.kind)}`}
            </Link>
          ))}
        </p>
      )}
      <FolderView
        items={folderItems(volume, path)}
        path={path}
        volumeName={volume.label ? visible(volume.label, 60) : volumeText(volume.id as never)}
        hrefBase={href(volume.id, "")}
        cut={volume.cut}
      />
      <p className="caption mt-2">
        To save a file,{" "}
        <Link prefetch={false} className="link" href="/look?show=inside">
          drop the release's file
        </Link>
        .
      </p>
    </div>
  );
}

async function Media({ context, id }: { context: Context; id: number }) {
  const { items, total } = await mediaOf(context, id);
  if (total === 0) return <p>No medium in service carries it.</p>;
  return (
    <div>
      <p>
        Carried by {plural(total, "medium", "media")}
        {total > items.length && `; the first ${items.length} are shown`}.
      </p>
      <ul className="mt-1">
        {items.map((medium) => (
          <li key={medium.tag} className="border-line border-b py-1">
            <Link prefetch={false} className="code font-bold" href={`/media/${encodeURIComponent(medium.tag)}`}>
              {medium.tag}
            </Link>{" "}
            {medium.name}{" "}
            <span className="text-quiet">
              {mediumKindText(medium.kind)},{" "}
              {medium.lentTo ? `with ${medium.lentTo}` : (medium.siteName ?? "no site recorded")}
              {medium.computers && `, ${servesText(medium.computers)}`}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}

async function History({ context, id }: { context: Context; id: number }) {
  const events = await history(context, "release", id, 50);
  return <EventList events={events} withTag={false} />;
}
