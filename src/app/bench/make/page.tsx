import type { Metadata } from "next";
import Link from "next/link";
import type { ReactNode } from "react";
import { dayAfter } from "@/core/kernel/days";
import { alternativeText, trustText } from "@/core/words/bench";
import { confirmationText } from "@/core/words/problems";
import { type Berth, listBerths } from "@/server/bench/berths";
import { carriableFiles } from "@/server/bench/carry";
import { planAsFile } from "@/server/bench/medium-file";
import { planInBerth } from "@/server/bench/plans";
import { freeTagFor, proposeFor } from "@/server/bench/proposals";
import { lackingBySite } from "@/server/cover/lacking";
import { loadPolicies } from "@/server/inventory/policies";
import { listSites } from "@/server/inventory/sites";
import { getRelease, listReleases } from "@/server/media/releases";
import { StepNumber } from "@/ui/step-number";
import { currentContext } from "../../_lib/context";
import type { SearchParams } from "../../_lib/params";
import { startPreparationAction } from "../actions";
import { AsFile } from "./as-file";
import { ForWhom } from "./for-whom";
import { Planned, Refused } from "./plan";
import { Proposals } from "./proposals";
import { StartForm } from "./start-form";
import { What } from "./what";
import { Where } from "./where";
import { type Making, makeHref, makingOf, mediumWish } from "./wish";

export const metadata: Metadata = { title: "Make a medium" };

const STEPS = ["For whom", "What", "Where", "Check"] as const;

/** A medium is made in four steps, all of them in sight: for whom, what, where, and a check of what it will be. */
export default async function Make({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const [berths, releases, sites, carriable] = await Promise.all([
    listBerths(context),
    listReleases(context),
    listSites(context),
    carriableFiles(),
  ]);
  const asked = makingOf(query);
  const berthId = asked.onto && "berth" in asked.onto ? asked.onto.berth : null;
  const berth = berths.find(({ id }) => id === berthId) ?? null;
  const isDisc = berth?.accepts === "optical";
  const ownTag = asked.tag || berth?.device?.medium?.tag || "";
  const making: Making = {
    ...asked,
    ...(berth && isDisc !== (asked.way === "disc") ? { way: isDisc ? ("disc" as const) : ("laid-out" as const) } : {}),
    tag: ownTag || (asked.releaseId ? await freeTagFor(context, asked.releaseId) : ""),
  };
  const isNamed = making.tags.length + making.ids.length > 0;
  const isWhomSaid = isNamed || making.isForAny || making.releaseId !== null;
  const at = !isWhomSaid ? 1 : making.releaseId === null ? 2 : making.onto === null || asked.tag === "" ? 3 : 4;
  const proposals = isNamed ? await proposeFor(context, making) : null;
  const lacking = at === 1 ? await lackingBySite(context) : null;
  const wanted = lacking && lacking.ids.length > 0 ? await proposeFor(context, { tags: [], ids: lacking.ids }) : null;
  const textOf = new Map(releases.map(({ id, kitName, name }) => [id, `${kitName} ${name}`]));
  const whom = proposals ? proposals.computers.map(({ tag }) => tag) : [];
  const releaseTexts = [making.releaseId, ...making.besideIds].flatMap((id) => (id && textOf.get(id)) ?? []);
  const summaries = [
    whom.length > 0 ? shortList(whom) : "No computer in particular",
    `${releaseTexts.join(" and ")}, ${alternativeText(making)}`,
    `${making.tag}, ${berthId === null ? "in a file for later" : `in ${berth?.name ?? "a berth that is gone"}`}`,
  ];
  return (
    <div className="max-w-5xl">
      <h1>Make a medium</h1>
      <ol className="mt-3 space-y-2">
        {STEPS.map((title, index) => {
          const number = index + 1;
          const isOpen = number === at;
          // A berth that somebody came with stays chosen while the rest is said anew.
          const { onto, tags, ids } = making;
          const change = [{ onto }, { onto, tags, ids, isForAny: true }, { ...making, tag: "" }][index];
          return (
            <Step
              key={title}
              number={number}
              title={title}
              isOpen={isOpen}
              summary={number < at ? (summaries[index] ?? null) : null}
              change={number < at ? makeHref(change ?? {}) : null}
            >
              {isOpen && number === 1 && lacking && <ForWhom lacking={lacking} wanted={wanted} making={making} />}
              {isOpen && number === 2 && (
                <>
                  {proposals && <Proposals view={proposals} making={making} />}
                  <What
                    making={making}
                    releases={releases}
                    carriable={carriable}
                    isDisc={berth ? isDisc : null}
                    isOpen={!proposals || proposals.proposals.length === 0}
                  />
                </>
              )}
              {isOpen && number === 3 && (
                <Where making={making} berths={berths} sites={sites} needed={neededOf(proposals, making)} />
              )}
              {isOpen && number === 4 && <Check making={making} berthId={berthId} berth={berth} sites={sites} />}
            </Step>
          );
        })}
      </ol>
    </div>
  );
}

const shortList = (tags: string[]) =>
  `${tags.slice(0, 8).join(", ")}${tags.length > 8 ? ` and ${tags.length - 8} more` : ""}`;

/** What the chosen release needs in the chosen way, as proposals reckoned it; null where nobody did. */
function neededOf(view: Awaited<ReturnType<typeof proposeFor>> | null, { releaseId, way }: Making): number | null {
  return view?.proposals.find((each) => each.releaseId === releaseId && each.way.way === way)?.neededBytes ?? null;
}

function Step({
  number,
  title,
  isOpen,
  summary,
  change,
  children,
}: {
  number: number;
  title: string;
  isOpen: boolean;
  /** What was decided; null where that comes later. */
  summary: string | null;
  change: string | null;
  children: ReactNode;
}) {
  const isLater = !isOpen && summary === null;
  return (
    <li
      aria-current={isOpen ? "step" : undefined}
      className={`grid grid-cols-[2.2rem_minmax(0,1fr)] gap-x-3 border-line border-b pb-2 ${isLater ? "text-quiet" : ""}`}
    >
      <StepNumber number={number} isNow={isOpen} />
      <div>
        <div className="flex min-h-8 flex-wrap items-center gap-x-4">
          <h2>{title}</h2>
          {summary !== null && <span>{summary}</span>}
          {change !== null && (
            <Link prefetch={false} className="link" href={change}>
              Change<span className="sr-only"> {title.toLowerCase()}</span>
            </Link>
          )}
        </div>
        {children}
      </div>
    </li>
  );
}

/** From which day on a release's system files are too old where the medium is kept; null: never, or not recorded. */
async function staleFrom({ releaseId }: Making, site: string): Promise<string | null> {
  const context = await currentContext();
  const [release, policies] = await Promise.all([
    releaseId === null ? null : getRelease(context, releaseId),
    loadPolicies(context.db),
  ]);
  const most = policies.ofSite(site).values.systemFilesDays;
  const madeOn = release?.row.madeOn ?? null;
  return madeOn === null || most === null ? null : dayAfter(madeOn, most + 1);
}

/** The last step: what the medium will be, and the act. */
async function Check({
  making,
  berthId,
  berth,
  sites,
}: {
  making: Making;
  /** Null: a file for later. */
  berthId: number | null;
  berth: Berth | null;
  sites: Awaited<ReturnType<typeof listSites>>;
}) {
  const context = await currentContext();
  const wish = mediumWish(making);
  if (!wish) return null;
  const staleOn = await staleFrom(making, sites.find(({ id }) => id === making.siteId)?.name ?? "");
  const keptAs = { name: making.name || null, siteId: making.siteId, note: making.note || null };
  if (berthId === null) {
    const bytes = making.onto && "file" in making.onto ? making.onto.file : null;
    const planned = await planAsFile(context, wish, bytes);
    if (!planned.ok || !planned.value.plan.ok) return <Refused planned={planned} making={making} />;
    return (
      <>
        <Planned view={planned.value} plan={planned.value.plan} making={making} staleOn={staleOn} rates={null} />
        <AsFile making={making} keptAs={keptAs} bytes={planned.value.device.bytes} madeAt={planned.value.madeAt} />
      </>
    );
  }
  const planned = await planInBerth(context, { ...wish, berthId });
  if (!planned.ok || !planned.value.plan.ok) return <Refused planned={planned} making={making} />;
  if (!berth?.device) return null;
  const { device } = berth;
  return (
    <>
      {device.trust.reasons.map((reason) => (
        <p key={reason.code} className="text-plum">
          {trustText(reason)}
        </p>
      ))}
      <Planned view={planned.value} plan={planned.value.plan} making={making} staleOn={staleOn} rates={device.row} />
      <StartForm
        action={startPreparationAction}
        wish={{ ...wish, berthId, keptAs }}
        made={wish.tag}
        fingerprint={planned.value.look.fingerprint}
        how={`type ${confirmationText({ serial: device.row.serial, tag: device.medium?.tag ?? null, berth: berth.name })}.`}
        loss={device.loss}
        isStore={device.row.isStore}
        isHeld={berth.jobId}
        content={device.medium?.tag ?? null}
      />
    </>
  );
}
