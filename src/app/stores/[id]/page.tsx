import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import { RetireButton } from "@/app/_parts/retire-button";
import type { LinkKind } from "@/core/images/forecast";
import type { ReportedImage, StoreReport } from "@/core/images/report";
import { growthText, linkText, scanStateText, storedFindingText, storedText } from "@/core/words/images";
import { scanTroubleText } from "@/core/words/problems";
import { bytesText } from "@/core/words/sizes";
import { latestScan } from "@/server/images/store-scans";
import { copiesIn, getStore, growthIn, type StoreDetail, type StoredCopy } from "@/server/images/stores";
import { history } from "@/server/inventory/events";
import { listReleases } from "@/server/media/releases";
import { EventList } from "@/ui/event-line";
import { Size } from "@/ui/size";
import { dateText, plural, zonedTimeText } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { ImagesNav } from "../../images/nav";
import { retireStoreAction } from "../actions";
import { GrowthChart } from "../growth-chart";
import { RoomBar } from "../room-bar";
import { ScanActs } from "../scan-acts";
import { STORE_KIND_WORDS } from "../words";

interface Props {
  params: Promise<{ id: string }>;
}

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  const detail = await getStore(await currentContext(), Number((await params).id) || 0);
  return { title: detail?.row.name ?? "Store" };
}

const SHOWN = 60;

export default async function Store({ params }: Props) {
  const [context, { id }] = await Promise.all([currentContext(), params]);
  const detail = await getStore(context, Number(id) || 0);
  if (!detail) notFound();
  const { row, medium, computer, site } = detail;
  const [copies, { fills, growth }, scan, releases, events] = await Promise.all([
    copiesIn(context, detail),
    growthIn(context, detail),
    latestScan(context, row.id),
    listReleases(context),
    history(context, "store", row.id, 8),
  ]);
  const lost = copies.filter(({ isLostWithIt }) => isLostWithIt);
  const report = scan?.state === "done" ? scan.report : null;
  const versions = new Map<string, string[]>();
  for (const { kitName, name } of releases) versions.set(kitName, [...(versions.get(kitName) ?? []), name]);
  return (
    <>
      <ImagesNav here={null} />
      <header className="flex flex-wrap items-start justify-between gap-3">
        <div>
          <h1>{row.name}</h1>
          <p className="text-quiet">
            {[
              STORE_KIND_WORDS[row.kind],
              medium && `on ${medium}`,
              computer && `in ${computer}`,
              site,
              row.link && linkText(row.link as LinkKind),
            ]
              .filter(Boolean)
              .join(", ")}
            {row.retiredAt && " · retired"}
          </p>
          {row.address && (
            <p>
              <span className="code">{row.address}</span>
              {row.account && (
                <>
                  , as <span className="code">{row.account}</span>
                </>
              )}
            </p>
          )}
          {row.encrypted && (
            <p>Encrypted. {row.keyPlace ? `Key location: ${row.keyPlace}.` : "Key location not recorded."}</p>
          )}
        </div>
        <div className="flex items-start gap-2">
          <Link prefetch={false} className="act" href={`/stores/${row.id}/edit`}>
            Edit
          </Link>
          <RetireButton retired={row.retiredAt !== null} onChange={retireStoreAction.bind(null, row.id, row.version)} />
        </div>
      </header>
      {lost.length > 0 && (
        <p className="mt-3 border-plum border-l-4 bg-plum-soft px-3 py-2">
          {plural(lost.length, "image")} of {computer} {lost.length === 1 ? "lies" : "lie"} in {computer} itself:{" "}
          {lost.length === 1 ? "it is" : "they are"} lost with it.
        </p>
      )}
      <div className="mt-4 grid gap-x-10 gap-y-6 xl:grid-cols-2">
        <section>
          <h2>Free space</h2>
          <div className="mt-1">
            <RoomBar store={row} scaleBytes={row.capacityBytes ?? 1} />
          </div>
          <p className="mt-1">
            {row.freeBytes === null ? (
              "Free space not recorded."
            ) : (
              <>
                <Size bytes={row.freeBytes} both /> free
                {row.capacityBytes !== null && (
                  <>
                    {" "}
                    of <Size bytes={row.capacityBytes} both />
                  </>
                )}
                {row.measuredOn && `, as of ${dateText(row.measuredOn)}`}.
              </>
            )}{" "}
            {growth ? growthText(growth) : "Growth is shown once it was scanned on three days."} {ratesText(row)}
          </p>
          {row.capacityBytes !== null && fills.length > 1 && (
            <>
              <GrowthChart fills={fills} growth={growth} capacityBytes={row.capacityBytes} />
              <details className="text-quiet">
                <summary className="cursor-pointer">As a table</summary>
                <table className="mt-1">
                  <tbody>
                    {fills.slice(-30).map(({ on, usedBytes }) => (
                      <tr key={on}>
                        <td className="pr-4">{on}</td>
                        <td className="text-right">
                          <Size bytes={usedBytes} />
                        </td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              </details>
            </>
          )}
        </section>
        <section>
          <h2>Scan</h2>
          {scan && scan.state !== "running" && (
            <p className="text-quiet">
              {scan.state === "done" && scan.report
                ? `Last scan ${zonedTimeText(scan.createdAt)} by ${scan.personName}: ${plural(scan.report.files, "file")}, ${plural(scan.report.images.length, "image")}${scan.isThorough ? ", all read in full" : ""}.`
                : scan.problem
                  ? scanTroubleText(scan.problem)
                  : "The last scan was cancelled."}
            </p>
          )}
          <ScanActs
            storeId={row.id}
            canLook={row.folder !== null}
            scan={
              scan && {
                ...{ id: scan.id, state: scan.state, isThorough: scan.isThorough },
                ...{ doneBytes: scan.doneBytes, totalBytes: scan.totalBytes },
              }
            }
            toTakeOver={report ? changesIn(report, copies) : 0}
            toRegister={
              report ? report.images.filter(({ state, named }) => state.state === "new" && named?.computer).length : 0
            }
            kits={[...versions].map(([name, own]) => ({ name, versions: own }))}
          />
        </section>
      </div>
      {report && <Report report={report} scanId={scan?.id ?? 0} copies={copies} />}
      <section className="mt-6">
        <h2>Copies</h2>
        {copies.length === 0 && <p className="text-quiet">No copy recorded.</p>}
        <Copies copies={copies} />
      </section>
      <section className="mt-6">
        <h2>History</h2>
        <EventList events={events} className="mt-1" />
      </section>
    </>
  );
}

/** How fast it is, as far as that was measured. */
function ratesText({ readRate, writeRate }: StoreDetail["row"]): string {
  const said = [
    readRate !== null && `reads at ${bytesText(readRate)}/s`,
    writeRate !== null && `writes at ${bytesText(writeRate)}/s`,
  ].filter(Boolean);
  return said.length > 0 ? `Measured: ${said.join(" and ")}.` : "";
}

const isTold = (copy: StoredCopy["copy"] | undefined) => copy?.files.some((file) => file.isTold) ?? false;

/** What a scan found otherwise than it is recorded, as far as that was not taken over yet. */
function changesIn(report: StoreReport, copies: StoredCopy[]): number {
  const stateOf = new Map(copies.map(({ copy, image }) => [image.name, copy]));
  const open = report.images.filter(({ state, files }) => {
    if (state.state === "recognised") return !stateOf.get(state.image) || isTold(stateOf.get(state.image));
    if (state.state === "changed") return stateOf.get(state.image)?.state === "there";
    if (state.state !== "moved") return false;
    return stateOf.get(state.image)?.files[0]?.path !== files[0]?.path;
  });
  const gone = report.missing.filter((image) => stateOf.get(image) && stateOf.get(image)?.state !== "missing");
  return open.length + gone.length;
}

function Report({ report, scanId, copies }: { report: StoreReport; scanId: number; copies: StoredCopy[] }) {
  const registered = new Set(copies.flatMap(({ copy }) => copy.files.map(({ path }) => path)));
  const order = ["changed", "moved", "recognised", "new", "same"];
  const images = [...report.images].sort((a, b) => order.indexOf(a.state.state) - order.indexOf(b.state.state));
  return (
    <section className="mt-6">
      <h2>Found</h2>
      {report.missing.length > 0 && (
        <p className="mt-1 text-plum">
          Missing: {report.missing.slice(0, 10).join(", ")}
          {report.missing.length > 10 && ` and ${report.missing.length - 10} more`}.
        </p>
      )}
      {images.length === 0 && <p className="text-quiet">No images.</p>}
      <ul className="mt-2 divide-y divide-line border-line border-y">
        {images.slice(0, SHOWN).map((image) => (
          <li key={image.key} className="grid grid-cols-[minmax(0,1fr)_auto] gap-x-4 py-2">
            <FoundImage image={image} />
            {image.state.state === "new" && !registered.has(image.key) && (
              <Link
                prefetch={false}
                className="act self-start"
                href={`/images/new?${new URLSearchParams({ scan: String(scanId), key: image.key })}`}
              >
                Register image
              </Link>
            )}
          </li>
        ))}
      </ul>
      {images.length > SHOWN && <p className="caption">and {images.length - SHOWN} more</p>}
    </section>
  );
}

function FoundImage({ image }: { image: ReportedImage }) {
  const { name, key, files, state, storedBytes, modified, reading, isWhole, sumRight } = image;
  return (
    <div className="min-w-0">
      <p>
        <strong>{name || key}</strong>{" "}
        <span className={state.state === "same" ? "text-quiet" : ""}>{scanStateText(state)}</span>
      </p>
      <p className="text-quiet">
        <span className="code">{key}</span>
        {files.length > 1 && ` and ${plural(files.length - 1, "more file")}`}, <Size bytes={storedBytes} />
        {modified && `, ${dateText(modified)}`}
      </p>
      {reading.container !== "unknown" && <p>{storedText(reading)}</p>}
      {reading.findings.map((finding) => (
        <p key={JSON.stringify(finding)} className="text-plum">
          {storedFindingText(finding)}
        </p>
      ))}
      {(isWhole ?? sumRight) !== null && (
        <p className={(isWhole ?? sumRight) ? "text-sea" : "font-semibold text-plum"}>
          {(isWhole ?? sumRight) ? "Read in full: intact." : "Read in full: damaged."}
        </p>
      )}
    </div>
  );
}

const COPY_STATES = { there: "", missing: "gone", changed: "changed since" };

function Copies({ copies }: { copies: StoredCopy[] }) {
  return (
    <ul className="mt-1 divide-y divide-line">
      {copies.slice(0, 200).map(({ copy, image, isLostWithIt }) => (
        <li
          key={copy.id}
          className="grid grid-cols-[7rem_minmax(0,1fr)_8rem_minmax(0,16rem)] max-sm:grid-cols-[7rem_minmax(0,1fr)] items-baseline gap-x-3 py-1"
        >
          <Link prefetch={false} className="code font-bold" href={`/computers/${encodeURIComponent(image.computer)}`}>
            {image.computer}
          </Link>
          <Link prefetch={false} className="link min-w-0" href={`/images/${image.id}`}>
            {image.name}
          </Link>
          <span>{image.storedBytes !== null && <Size bytes={image.storedBytes} />}</span>
          <span className={copy.state === "there" && !isLostWithIt ? "text-quiet" : "text-plum"}>
            {[
              COPY_STATES[copy.state],
              isLostWithIt && "lost with its computer",
              copy.verifiedOn && `${copy.verifiedWhole ? "intact" : "damaged"} ${dateText(copy.verifiedOn)}`,
            ]
              .filter(Boolean)
              .join(", ")}
          </span>
        </li>
      ))}
    </ul>
  );
}
