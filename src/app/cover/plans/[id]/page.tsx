import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import type { CoverLack, CoverResult, PlannedMedium, Some } from "@/core/cover/result";
import { lacksByReason, leftOutText, progressText } from "@/core/words/cover";
import { needAct } from "@/core/words/policy";
import { getPlan, type PlanRow } from "@/server/cover/plans";
import { listTasks, shoppingList } from "@/server/drills/cover-tasks";
import { plural, zonedTimeText } from "@/ui/words";
import { currentContext } from "../../../_lib/context";
import { UpkeepNav } from "../../../upkeep/nav";
import { moneyText } from "../../money";
import { Accept, Running } from "./plan-acts";
import { Tasks } from "./tasks";

interface Props {
  params: Promise<{ id: string }>;
}

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  const plan = await getPlan(await currentContext(), Number((await params).id) || 0);
  return { title: plan?.name ?? "Plan" };
}

/** A plan: what it comes to, what to do, whom each medium serves and who forces it, and what no plan can give. */
export default async function Plan({ params }: Props) {
  const [context, { id }] = await Promise.all([currentContext(), params]);
  const plan = await getPlan(context, Number(id) || 0);
  if (!plan) notFound();
  const { result } = plan;
  const tasks = plan.state === "accepted" ? await listTasks(context, plan.id) : [];
  return (
    <>
      <UpkeepNav here={null} />
      <header className="flex flex-wrap items-start justify-between gap-3">
        <div>
          <h1>{plan.name}</h1>
          <p className="text-quiet">
            {zonedTimeText(plan.createdAt)}, {plan.personName}
            {plan.acceptedAt && ` · accepted ${zonedTimeText(plan.acceptedAt)}`}
          </p>
        </div>
        <div className="flex flex-wrap gap-2">
          <Link prefetch={false} className="act" href={`/cover/plans/new?from=${plan.id}`}>
            Change constraints and recompute
          </Link>
          {result && plan.state === "done" && <Accept id={plan.id} version={plan.version} />}
        </div>
      </header>
      {plan.state === "running" && <Running id={plan.id} told={plan.told && progressText(plan.told)} />}
      {!result && plan.state !== "running" && (
        <p className="mt-4 border-plum border-l-4 bg-plum-soft px-3 py-2">{plan.told && progressText(plan.told)}</p>
      )}
      {result && (
        <>
          <Answer result={result} />
          {tasks.length > 0 && (
            <Tasks
              tasks={tasks.map(({ id: taskId, body, doneAt, doneBy }) => ({
                id: taskId,
                body,
                doneBy,
                isDone: doneAt !== null,
              }))}
            />
          )}
          <Media media={result.media} planId={plan.id} />
          <Shopping plan={plan} result={result} />
          <Lacks lacks={result.lacks} />
          <Reckoned plan={plan} result={result} />
        </>
      )}
    </>
  );
}

function Answer({ result: { met, cost, isLeast, placeless, seconds } }: { result: CoverResult }) {
  const gap = cost.total === 0 ? 0 : ((cost.total - cost.bound) / cost.total) * 100;
  return (
    <div className="mt-3 max-w-3xl">
      <p className="font-semibold text-[1.1rem]">
        {met.planned === met.of
          ? `Each of ${plural(met.of, "computer")} would meet its policy; now ${met.now === 1 ? "one does" : `${met.now} do`}.`
          : `${met.planned} of ${plural(met.of, "computer")} would meet their policy; now ${met.now === 1 ? "one does" : `${met.now} do`}.`}
      </p>
      <p>
        It costs {moneyText(cost.total)}: {moneyText(cost.purchase)} for purchases, {moneyText(cost.work)} for labour,{" "}
        {moneyText(cost.travel)} for travel.{" "}
        {isLeast
          ? "Proven: nothing costs less."
          : `No plan costs less than ${moneyText(cost.bound)}: this one is at most ${gap.toFixed(1)} % above the least.`}{" "}
        <span className="text-quiet">Computed in {seconds} s.</span>
      </p>
      {placeless.count > 0 && (
        <p className="text-plum">
          Of {plural(placeless.count, "computer")} no site is recorded, so nothing can be planned for{" "}
          {placeless.count === 1 ? "it" : "them"}: {tags(placeless)}.
        </p>
      )}
    </div>
  );
}

function tags({ tags: shown, count }: Some): string {
  return `${shown.join(", ")}${count > shown.length ? ` and ${count - shown.length} more` : ""}`;
}

/** By reason: what is to be mended is told once, with all whom it concerns. */
function Lacks({ lacks }: { lacks: CoverLack[] }) {
  if (lacks.length === 0) return null;
  return (
    <section className="mt-6">
      <h2>Not achievable</h2>
      <ul className="mt-2 divide-y divide-line border-line border-y">
        {lacksByReason(lacks).map(({ reasons, computers, lacks: alike }) => (
          <li key={reasons.join()} className="py-2">
            <p>
              {computers > 0 && <strong>{plural(computers, "computer")}: </strong>}
              {reasons.join(" ")}
            </p>
            <ul className="text-quiet">
              {alike.map(({ lack: { computers: whose, need, site, lacking }, nearest }) => (
                <li key={`${need} ${site} ${lacking} ${whose.tags.join()}`}>
                  {site ?? "No site recorded"}
                  {whose.count > 0 && <span className="code"> {tags(whose)}</span>}: {lackText(need, lacking)}
                  {nearest.length > 0 && `; nearest is ${nearest.join(", ")}`}.
                </li>
              ))}
            </ul>
          </li>
        ))}
      </ul>
    </section>
  );
}

function lackText(need: CoverLack["need"], count: number): string {
  const [number, are] = count === 1 ? ["one", "is"] : [String(count), "are"];
  if (need === "spare") return `${number} blank ${count === 1 ? "spare" : "spares"} ${are} missing`;
  return `${number} ${count === 1 ? "route" : "routes"} to ${needAct(need)} ${are} missing`;
}

const ACT_HEADS: Record<PlannedMedium["act"], string> = {
  buy: "Buy and make",
  rewrite: "Rewrite",
  move: "Move",
  keep: "Keep as they are",
};

const SHOWN = 200;

function Media({ media, planId }: { media: PlannedMedium[]; planId: number }) {
  const acts = (Object.keys(ACT_HEADS) as PlannedMedium["act"][]).filter((act) =>
    media.some((each) => each.act === act),
  );
  return acts.map((act) => (
    <section key={act} className="mt-6">
      <h2>{ACT_HEADS[act]}</h2>
      <ul className="mt-1 divide-y divide-line border-line border-y">
        {media
          .filter((each) => each.act === act)
          .slice(0, SHOWN)
          .map((each, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a plan that was computed does not change
            <li key={at} className="grid gap-x-4 py-1.5 md:grid-cols-[22rem_minmax(0,1fr)_7rem]">
              <div>
                <MediumLine medium={each} />
                <Decide medium={each} planId={planId} />
              </div>
              <div className="text-quiet">
                <Whom medium={each} />
              </div>
              <span className="whitespace-nowrap text-right tabular-nums">{each.cost > 0 && moneyText(each.cost)}</span>
            </li>
          ))}
      </ul>
      {media.filter((each) => each.act === act).length > SHOWN && (
        <p className="caption">and {media.filter((each) => each.act === act).length - SHOWN} more</p>
      )}
    </section>
  ));
}

function MediumLine({ medium: { act, medium, holds, site, from, size, way } }: { medium: PlannedMedium }) {
  return (
    <>
      {medium && (
        <Link prefetch={false} className="code font-bold" href={`/media/${encodeURIComponent(medium)}`}>
          {medium}
        </Link>
      )}{" "}
      <strong>{holds ?? "a blank spare"}</strong>
      {act === "buy" && <> on {size === "disc" ? "a disc" : `a stick of ${size}`}</>}
      {way === "laid-out" && <span className="text-quiet">, laid out</span>}
      <span className="block text-quiet">
        {from !== null && from !== site ? `from ${from} to ${site}` : `at ${site}`}
      </span>
    </>
  );
}

/** Decides otherwise, and computes again with that. */
function Decide({ medium: { act, medium, site, holds }, planId }: { medium: PlannedMedium; planId: number }) {
  if (act === "keep") return null;
  const again = (more: Record<string, string>) =>
    `/cover/plans/new?${new URLSearchParams({ from: String(planId), ...more })}`;
  const ways =
    act === "buy"
      ? [
          { text: `buy nothing for ${site}`, href: again({ noPurchase: site }) },
          ...(holds ? [{ text: `make no more ${holds}`, href: again({ without: holds }) }] : []),
        ]
      : [{ text: "leave it as it is", href: again({ keep: medium ?? "" }) }];
  return (
    <span className="block text-[0.9rem]">
      Instead{" "}
      {ways.map(({ text, href }, at) => (
        <span key={text}>
          {at > 0 && " or "}
          <Link prefetch={false} className="link" href={href}>
            {text}
          </Link>
        </span>
      ))}
      ?
    </span>
  );
}

function Whom({ medium: { serves, forcedBy, drills } }: { medium: PlannedMedium }) {
  if (serves.count === 0) return null;
  return (
    <>
      <p>
        Serves {plural(serves.count, "computer")}.{" "}
        {forcedBy.count === 0
          ? "Nobody depends on it."
          : `Without it ${forcedBy.count === 1 ? "one" : forcedBy.count} would have no route: ${tags(forcedBy)}.`}
      </p>
      {drills.length > 0 && (
        <p>
          Drills on {drills.slice(0, 6).join(", ")}
          {drills.length > 6 && ` and ${drills.length - 6} more`}.
        </p>
      )}
    </>
  );
}

function Shopping({ plan, result }: { plan: PlanRow; result: CoverResult }) {
  const lines = shoppingList(result, plan.settings);
  if (lines.length === 0) return null;
  return (
    <section className="mt-6 max-w-2xl">
      <h2>Shopping list</h2>
      <table className="mt-1 w-full border-collapse">
        <tbody>
          {lines.map(({ site, size, count, price }) => (
            <tr key={`${site} ${size}`} className="border-line border-b">
              <td className="py-1">{site}</td>
              <td>{size === "disc" ? plural(count, "blank disc") : `${plural(count, "stick")} of ${size}`}</td>
              <td className="whitespace-nowrap text-right tabular-nums">{moneyText(count * price)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <a className="link" href={`/cover/plans/${plan.id}/shopping`}>
        As a table (CSV)
      </a>
    </section>
  );
}

function Reckoned({ plan: { settings }, result: { leftOut } }: { plan: PlanRow; result: CoverResult }) {
  return (
    <details className="mt-6 max-w-3xl text-quiet">
      <summary className="cursor-pointer">Assumptions</summary>
      <p>
        {Object.entries(settings.prices)
          .filter(([, price]) => price !== null)
          .map(([size, price]) => `${size} ${moneyText(price as number)}`)
          .join(", ")}
        ; an hour of work {moneyText(settings.workHour)}, travel {moneyText(settings.travelHour)};{" "}
        {settings.writeMinutes} minutes to write a medium, {settings.drillMinutes} for a drill.
        {settings.keep.length > 0 && ` ${settings.keep.join(", ")} stay as they are.`}
        {settings.noPurchase.length > 0 && ` No purchases for ${settings.noPurchase.join(", ")}.`}
        {settings.without.length > 0 && ` ${settings.without.join(", ")} no longer made.`}
      </p>
      {leftOut.map((each) => (
        <p key={each.release}>
          {each.release} was not considered: {leftOutText(each)}
        </p>
      ))}
    </details>
  );
}
