import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import { RetireButton } from "@/app/_parts/retire-button";
import { ContentsView } from "@/app/_reading/contents-view";
import { InspectionView } from "@/app/_reading/inspection-view";
import { ProgramsView } from "@/app/_reading/programs-view";
import type { Verdict } from "@/core/judging/model/schema";
import { verdictsOf } from "@/core/judging/routes/routes";
import { dayOf } from "@/core/kernel/days";
import { LABEL_FORMATS } from "@/core/making/labels/formats";
import { ROLL_LABELS } from "@/core/making/labels/zpl";
import { startKindsText } from "@/core/words/bench";
import { loanText } from "@/core/words/places";
import { mediumAnswerText, routeText } from "@/core/words/routes";
import { drillsOf } from "@/server/drills/drills";
import { history } from "@/server/inventory/events";
import { loansOf } from "@/server/media/loans";
import { type ChainedComputers, computersOf, getMedium, type MediumDetail, mediumInputOf } from "@/server/media/media";
import { Chain, ChainLink } from "@/ui/chain";
import { EventList } from "@/ui/event-line";
import { Size } from "@/ui/size";
import { Station } from "@/ui/station";
import { dateText, mediumKindText, plural } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { listState, type SearchParams } from "../../_lib/params";
import { retireMediumAction } from "../actions";
import { MediumList } from "../list";
import { Loan } from "../loan";

interface Props {
  params: Promise<{ tag: string }>;
  searchParams: SearchParams;
}

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  return { title: decodeURIComponent((await params).tag) };
}

export default async function Medium({ params, searchParams }: Props) {
  const [context, state, { tag }] = await Promise.all([currentContext(), listState(searchParams), params]);
  const detail = await getMedium(context, decodeURIComponent(tag));
  if (!detail) notFound();
  const { row, inspection } = detail;
  const [chained, events, drills, loans] = await Promise.all([
    computersOf(context, row.id),
    history(context, "medium", row.id, 12),
    drillsOf(context, { mediumId: row.id }, 12),
    loansOf(context, row.id, 8),
  ]);
  const { capacityBytes } = mediumInputOf(detail);
  const isOverdue = loans.some(
    ({ returnedOn, dueOn }) => returnedOn === null && dueOn !== null && dueOn < dayOf(context.now()),
  );
  return (
    <Station
      chosen
      list={<MediumList context={context} state={state} chosen={row.tag} />}
      detail={
        <article>
          <header className="flex flex-wrap items-start justify-between gap-3">
            <div>
              <h1>
                <span className="code">{row.tag}</span> {row.name}
              </h1>
              <p className="text-quiet">
                {mediumKindText(row.kind)}
                {capacityBytes !== null && (
                  <>
                    {" "}
                    of <Size bytes={capacityBytes} both />
                  </>
                )}
                {" · "}
                {detail.onComputer ? (
                  <>
                    on the disk of{" "}
                    <Link className="code" href={`/computers/${encodeURIComponent(detail.onComputer)}`}>
                      {detail.onComputer}
                    </Link>
                  </>
                ) : row.lentTo ? (
                  `with ${row.lentTo}${isOverdue ? ", overdue" : ""}`
                ) : (
                  (detail.siteName ?? "no site recorded")
                )}
                {row.retiredAt && " · retired"}
              </p>
              <p className="text-quiet">
                {detail.loads.length === 0 && "Release not recorded"}
                {detail.loads.map((load, index) => (
                  <span key={load.releaseId}>
                    {index === 0 ? "Carries " : ", "}
                    <Link prefetch={false} className="link" href={`/releases/${load.releaseId}`}>
                      {load.kitName} {load.releaseName}
                    </Link>
                    {load.madeOn && ` of ${dateText(load.madeOn)}`}
                    {load.lacksSystemFiles && ", without system files"}
                    {load.part && ` for ${startKindsText(load.part.startedBy)} computers`}
                  </span>
                ))}
              </p>
              <p className="text-quiet">{provenText(detail)}</p>
            </div>
            <div className="flex flex-wrap items-start gap-2">
              {!row.retiredAt && <Loan key={row.version} tag={row.tag} lentTo={row.lentTo} />}
              {detail.loads.length > 0 && (
                <Link prefetch={false} className="act" href={`/media/${encodeURIComponent(row.tag)}/verify`}>
                  Verify
                </Link>
              )}
              <Link prefetch={false} className="act" href={`/media/${encodeURIComponent(row.tag)}/edit`}>
                Edit or read again
              </Link>
              <RetireButton
                retired={row.retiredAt !== null}
                onChange={retireMediumAction.bind(null, row.id, row.version)}
              />
            </div>
          </header>
          {!row.retiredAt && (
            <p className="mt-2 text-quiet">
              Label:{" "}
              {LABEL_FORMATS.map(({ key, text }, index) => (
                <span key={key}>
                  {index > 0 && ", "}
                  <a
                    className="link"
                    title={text}
                    href={`/media/labels?tags=${encodeURIComponent(row.tag)}&format=${key}`}
                  >
                    {key === "disc" || key === "fob" ? key : `${key} a sheet`}
                  </a>
                </span>
              ))}
              . Label printer (ZPL):{" "}
              {ROLL_LABELS.map(({ key, text }, index) => (
                <span key={key}>
                  {index > 0 && ", "}
                  <a className="link" href={`/media/labels?tags=${encodeURIComponent(row.tag)}&format=${key}`}>
                    {text}
                  </a>
                </span>
              ))}
            </p>
          )}
          {chained && <Chained chained={chained} tag={row.tag} />}
          <section className="mt-6">
            <h2>Drills</h2>
            {drills.length === 0 && <p className="text-quiet">No drill recorded.</p>}
            <ul className="mt-1">
              {drills.map((drill) => (
                <li key={drill.id}>
                  {dateText(drill.on)}: {DRILL_RESULTS[drill.result]} on{" "}
                  <Link prefetch={false} className="code" href={`/computers/${encodeURIComponent(drill.computer)}`}>
                    {drill.computer}
                  </Link>
                  {drill.isEmulated && ", emulated"}
                  {drill.hasEvidence && (
                    <>
                      {" "}
                      <Link prefetch={false} className="link" href={`/drills/${drill.id}`}>
                        evidence
                      </Link>
                    </>
                  )}
                </li>
              ))}
            </ul>
            {!row.retiredAt && (
              <p className="mt-1">
                <Link prefetch={false} className="link" href={`/drills/new?medium=${encodeURIComponent(row.tag)}`}>
                  Record or run a drill
                </Link>
              </p>
            )}
          </section>
          {loans.length > 0 && (
            <section className="mt-6">
              <h2>Loan history</h2>
              <ul className="mt-1">
                {loans.map((loan) => (
                  <li key={`${loan.since} ${loan.to}`}>{loanText(loan, dayOf(context.now()))}</li>
                ))}
              </ul>
            </section>
          )}
          <section className="mt-6">
            <h2>Contents</h2>
            {inspection ? (
              <div className="mt-1">
                <InspectionView inspection={inspection} capacityBytes={capacityBytes} />
                <p className="caption">Read {dateText(detail.inspectedAt)}.</p>
                <p className="mt-3">
                  <Link prefetch={false} className="link" href="/look?show=inside">
                    Look inside
                  </Link>{" "}
                  <span className="text-quiet">by dropping its file: what uses the space, and saving files.</span>
                </p>
                <details className="mt-4">
                  <summary className="cursor-pointer font-semibold">
                    {plural(inspection.programs.length, "program")} for UEFI and their signers
                  </summary>
                  <div className="mt-2">
                    <ProgramsView programs={inspection.programs} today={context.now().toISOString()} />
                  </div>
                </details>
                <details className="mt-2">
                  <summary className="cursor-pointer font-semibold">Systems and drivers</summary>
                  <div className="mt-2">
                    <ContentsView inspection={inspection} />
                  </div>
                </details>
              </div>
            ) : (
              <p className="mt-1">
                Not read yet, so not judged.{" "}
                <Link prefetch={false} className="link" href={`/media/${encodeURIComponent(row.tag)}/edit`}>
                  Drop its file
                </Link>
                .
              </p>
            )}
          </section>
          {row.note && <p className="mt-5 whitespace-pre-line">{row.note}</p>}
          <section className="mt-6">
            <h2>History</h2>
            <EventList events={events} withTag={false} className="mt-2 space-y-2" />
          </section>
        </article>
      }
    />
  );
}

const GROUPS: { verdict: Verdict; title: string }[] = [
  { verdict: "holds", title: "Route holds" },
  { verdict: "holds-after-change", title: "Route after a change" },
  { verdict: "unknown", title: "Unknown" },
  { verdict: "broken", title: "No route" },
];

/** The chain with this medium on every computer, by what it comes to. */
function Chained({ chained, tag }: { chained: ChainedComputers; tag: string }) {
  const { counts, items } = chained;
  return (
    <section className="mt-5">
      <p className="text-lg">
        {mediumAnswerText(tag, counts)}{" "}
        <Link prefetch={false} className="link text-base" href={`/chains?release=${encodeURIComponent(tag)}`}>
          Show its chains
        </Link>
      </p>
      <div className="mt-2 divide-y divide-line border-line border-y">
        {GROUPS.filter(({ verdict }) => counts[verdict] > 0).map(({ verdict, title }) => {
          const itemsOfVerdict = items.filter(({ route }) => route.weakest === verdict);
          return (
            <details key={verdict} open={verdict === "holds" && counts[verdict] <= 5}>
              <summary className="grid cursor-pointer grid-cols-[2.4rem_1fr] items-center py-1.5">
                <ChainLink verdict={verdict} />
                <span>
                  <strong>{title}</strong> {counts[verdict].toLocaleString("en-GB")}
                </span>
              </summary>
              <ul className="pb-2">
                {itemsOfVerdict.map(({ tag: computer, name, site, route }) => (
                  <li key={computer} className="grid grid-cols-[7.5rem_1fr] items-start gap-x-3 py-1">
                    <span className="pt-1">
                      <Chain links={verdictsOf(route.links)} />
                    </span>
                    <div>
                      <Link
                        prefetch={false}
                        className="code font-bold"
                        href={`/computers/${encodeURIComponent(computer)}`}
                      >
                        {computer}
                      </Link>{" "}
                      {name} <span className="caption">{site}</span>
                      <div className="text-[0.9rem] text-quiet">{routeText(route)}</div>
                    </div>
                  </li>
                ))}
              </ul>
              {itemsOfVerdict.length < counts[verdict] && (
                <p className="pb-2 text-quiet">
                  and {(counts[verdict] - itemsOfVerdict.length).toLocaleString("en-GB")} more, under Chains.
                </p>
              )}
            </details>
          );
        })}
      </div>
    </section>
  );
}

const DRILL_RESULTS = { started: "started", restored: "started, image restored", failed: "failed" };

/** When it was written, and when it was last known to hold what it should. */
function provenText({ row }: MediumDetail): string {
  const written = row.writtenOn === null ? "Date of writing not recorded" : `Written ${dateText(row.writtenOn)}`;
  if (row.verifiedOn === null) return `${written}; never verified.`;
  const verified = row.verifiedWhole ? "verified intact" : "found damaged";
  const sampled = row.sampledOn ? `; sample intact ${dateText(row.sampledOn)}` : "";
  return `${written}; ${verified} ${dateText(row.verifiedOn)}${sampled}.`;
}
