import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import { checkedText, lineageProblemText } from "@/core/words/images";
import { bytesText } from "@/core/words/sizes";
import { getImage, type ImageDetail } from "@/server/images/images";
import { storeNames } from "@/server/images/stores";
import { history } from "@/server/inventory/events";
import { ChainLink } from "@/ui/chain";
import { EventList } from "@/ui/event-line";
import { Size } from "@/ui/size";
import { dateText, plural, zonedTimeText } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { AddCopy, CopyActs } from "../copies";
import { ImageActs } from "../image-acts";
import { ImagesNav } from "../nav";

interface Props {
  params: Promise<{ id: string }>;
}

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  const detail = await getImage(await currentContext(), Number((await params).id) || 0);
  return { title: detail?.row.name ?? "Image" };
}

const ANSWERS = {
  usable: "Usable: its whole lineage is there and verified.",
  unsure: "Unknown whether it can be restored.",
  unusable: "It cannot be restored.",
};

export default async function Image({ params }: Props) {
  const [context, { id }] = await Promise.all([currentContext(), params]);
  const detail = await getImage(context, Number(id) || 0);
  if (!detail) notFound();
  const { row, computer, body, lineage, dependents } = detail;
  const [events, stores] = await Promise.all([history(context, "image", row.id, 12), storeNames(context)]);
  return (
    <article>
      <ImagesNav here={null} />
      <header className="flex flex-wrap items-start justify-between gap-3">
        <div>
          <h1>{row.name}</h1>
          <p className="text-quiet">
            {body.kind} image of{" "}
            <Link prefetch={false} className="code font-bold" href={`/computers/${encodeURIComponent(computer)}`}>
              {computer}
            </Link>
            , taken {zonedTimeText(row.takenAt)}
            {body.kit && ` with ${[body.kit, body.kitVersion].filter(Boolean).join(" ")}`}
            {body.locked && "; protected"}
          </p>
          {body.state && <p>{body.state}</p>}
        </div>
        <div className="flex flex-wrap gap-2">
          <Link prefetch={false} className="act" href={`/images/${row.id}/edit`}>
            Edit
          </Link>
          <ImageActs id={row.id} version={row.version} locked={body.locked ?? false} dependents={dependents.length} />
        </div>
      </header>
      <p className={`mt-4 text-lg ${lineage.state === "unusable" ? "text-plum" : ""}`}>{ANSWERS[lineage.state]}</p>
      {lineage.problems.map((problem) => (
        <p key={JSON.stringify(problem)}>{lineageProblemText(problem)}</p>
      ))}
      <div className="mt-5 grid gap-x-10 gap-y-6 xl:grid-cols-2">
        <Lineage detail={detail} />
        <section>
          <h2>Copies</h2>
          <Places detail={detail} stores={stores} />
          {stores.length > 0 ? (
            <AddCopy imageId={row.id} stores={stores} />
          ) : (
            <Link prefetch={false} className="act mt-2" href="/stores/new">
              Register a store
            </Link>
          )}
        </section>
        <section>
          <h2>Contents</h2>
          <Facts detail={detail} />
        </section>
        <section>
          <h2>History</h2>
          <EventList events={events} className="mt-1" />
        </section>
      </div>
    </article>
  );
}

function Lineage({ detail: { row, lineage, points, dependents } }: { detail: ImageDetail }) {
  const byId = new Map(points.map((point) => [point.id, point]));
  return (
    <section>
      <h2>Lineage</h2>
      <ol className="mt-1">
        {[...lineage.parts].reverse().map((part) => {
          const point = byId.get(part);
          const fails = lineage.problems.some((problem) => problem.part === part && problem.code !== "part-unverified");
          const isOpen = lineage.problems.some((problem) => problem.part === part);
          return (
            <li key={part} className="grid grid-cols-[2.4rem_1fr] items-center py-0.5">
              <ChainLink verdict={fails ? "broken" : isOpen ? "unknown" : "holds"} />
              <span>
                {part === row.name ? <strong>{part}</strong> : part}{" "}
                <span className="text-quiet">
                  {point?.kind}, {dateText(point?.takenAt ?? null)}
                </span>
              </span>
            </li>
          );
        })}
      </ol>
      {dependents.length > 0 && (
        <p className="mt-1">
          {plural(dependents.length, "point")} {dependents.length === 1 ? "builds" : "build"} on it:{" "}
          {dependents.slice(0, 6).join(", ")}
          {dependents.length > 6 && ` and ${dependents.length - 6} more`}.
        </p>
      )}
    </section>
  );
}

const PLACE_KINDS = {
  medium: "on the medium",
  disk: "on the disk",
  share: "on the share",
  computer: "in the computer",
};

function Places({
  detail: { copies, row, body, computer },
  stores,
}: {
  detail: ImageDetail;
  stores: { id: number; name: string }[];
}) {
  const told = row.body.places;
  return (
    <ul className="mt-1 divide-y divide-line">
      {copies.map(({ copy, store }) => (
        <li key={copy.id} className="py-1">
          <Link prefetch={false} className="font-semibold" href={`/stores/${store.id}`}>
            {store.name}
          </Link>{" "}
          {copy.state !== "there" && (
            <span className="text-plum">{copy.state === "missing" ? "missing" : "changed since"} </span>
          )}
          <span className="text-quiet">
            {copy.files[0] && <span className="code">{copy.files[0].path}</span>}
            {copy.files.length > 1 && ` and ${copy.files.length - 1} more`}
            {copy.seenOn && `, ${copy.files[0]?.isTold ? "recorded" : "seen"} ${dateText(copy.seenOn)}`}
            {copy.verifiedOn && `, ${copy.verifiedWhole ? "whole" : "damaged"} ${dateText(copy.verifiedOn)}`}
          </span>
          <CopyActs
            {...{ id: copy.id, name: store.name, storeId: store.id, stores }}
            path={copy.files[0]?.path ?? ""}
            isMissing={copy.state === "missing"}
          />
        </li>
      ))}
      {told.map((place) => (
        <li key={JSON.stringify(place)} className="py-1">
          {PLACE_KINDS[place.on]} {"name" in place ? place.name : place.tag}{" "}
          {place.on === "computer" && place.tag === computer && <span className="text-plum">lost with it</span>}
        </li>
      ))}
      {body.places.length === 0 && <li className="py-1 text-plum">No copy recorded.</li>}
      {body.places.length === 1 && <li className="py-1">Only one copy. Keep a second one elsewhere.</li>}
    </ul>
  );
}

function Facts({ detail: { body } }: { detail: ImageDetail }) {
  const rows: [string, React.ReactNode][] = [
    ["Source disk", body.diskBytes === null ? null : <Size key="d" bytes={body.diskBytes} both />],
    ["Sectors", body.sectorBytes === null ? null : `${body.sectorBytes} bytes`],
    ["Starts by", body.mode === null ? null : body.mode === "uefi" ? "UEFI" : "BIOS"],
    [
      "Partitions",
      body.partitions
        ?.map(
          ({ name, role, active }) => `${name ? `${name} ` : ""}${role ?? "not recorded"}${active ? ", active" : ""}`,
        )
        .join("; ") ?? null,
    ],
    [
      "Other disks",
      body.moreDisks
        ? body.moreDisks
            .map(({ name, bytes }) => `${name}${bytes === null ? "" : `, ${bytesText(bytes)}`}`)
            .join("; ") || "none"
        : null,
    ],
    ["In use", body.usedBytes == null ? null : <Size key="u" bytes={body.usedBytes} both />],
    ["Stored", body.storedBytes == null ? null : <Size key="s" bytes={body.storedBytes} both />],
    ["Compression", body.compression ?? null],
    [
      "Encrypted",
      body.encrypted === null ? null : body.encrypted ? `yes; key location: ${body.keyPlace ?? "not recorded"}` : "no",
    ],
    ["Checks", body.checks?.length ? body.checks.map(checkedText).join(", ") : null],
    [
      "Verified",
      body.verified === null ? null : `${body.verified.whole ? "whole" : "damaged"}, ${dateText(body.verified.on)}`,
    ],
  ];
  return (
    <dl className="mt-1 grid grid-cols-[10rem_1fr] gap-y-0.5">
      {rows.map(([name, value]) => (
        <div key={name} className="contents">
          <dt className="text-quiet">{name}</dt>
          <dd>{value ?? <span className="text-quiet">not recorded</span>}</dd>
        </div>
      ))}
    </dl>
  );
}
