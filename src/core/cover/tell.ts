import type { ComputerPart } from "../judging/model/parts";
import { itemAt } from "../kernel/item-at";
import { type Meaning, noteModel } from "./ask";
import { type CoverAct, type CoverPlan, carryingCost, isWithin, purchaseCost } from "./problem";
import type { CoverLack, CoverResult, CoverWhy, PlannedMedium, Some } from "./result";

const SOME = 12;

/** What stands against a computer's need, and what would free it. */
export type WhyNot = (computer: ComputerPart, need: CoverLack["need"]) => CoverWhy[];

/** A plan in names, each medium with whom it serves and who forces it. */
export function tellCover(
  meaning: Meaning,
  plan: CoverPlan,
  { seconds, leftOut, whyNot }: { seconds: number; leftOut: CoverResult["leftOut"]; whyNot: WhyNot },
): CoverResult {
  const { problem, demands, asked } = meaning;
  const served = demandsOfActs(meaning, plan.acts);
  // Who forces a medium: those for whom it is one of no more routes than they are to have. Of others there is one to spare.
  const supply = problem.demands.map((_, at) => served.filter((own) => own.has(at)).length);
  const some = (rows: Iterable<number>): Some => {
    const tags = [...new Set(rows)].map((row) => asked.computers[row]?.tag ?? "").sort();
    return { count: tags.length, tags: tags.slice(0, SOME) };
  };
  const media = plan.acts.map((act, nth): PlannedMedium => {
    const servedHere = [...(served[nth] ?? [])];
    const forcing = servedHere.filter((at) => itemAt(supply, at) <= itemAt(problem.demands, at).routes);
    const forced = forcing.flatMap((at) => demands[at]?.computers ?? []);
    return {
      ...namesOf(meaning, act),
      drills: drillsOf(meaning, act, forced),
      serves: some(servedHere.flatMap((at) => demands[at]?.computers ?? [])),
      forcedBy: some(forced),
    };
  });
  const lacking = new Set(plan.unmet.flatMap(({ demand }) => demands[demand]?.computers ?? []));
  // A computer without a site cannot be reached by any plan; it is told apart, not counted as covered.
  const placed = asked.computers.length - meaning.placeless.length;
  return {
    media: media.sort(compareMedia),
    lacks: plan.unmet.flatMap(({ demand, lacking: count }): CoverLack[] => {
      const { need, computers, site } = itemAt(demands, demand);
      const isForbidden = asked.settings.noPurchase.includes(site);
      const pinned: CoverWhy[] = isForbidden ? [{ code: "no-purchase", site }] : [];
      // A site's own demand (a stick there, whoever it is for) has no computers to ask for reasons.
      if (computers.length === 0) return [{ computers: some([]), need, site, lacking: count, why: pinned }];
      return byReason(meaning, computers, need, whyNot).map(
        ({ rows, why }): CoverLack => ({
          ...{ computers: some(rows), need, site, lacking: count, why: [...pinned, ...why] },
        }),
      );
    }),
    cost: { ...costsOf(meaning, plan), total: plan.cost, bound: plan.bound },
    isLeast: plan.isLeast,
    met: {
      ...{ now: meaning.metNow, planned: placed - lacking.size, of: asked.computers.length },
      bySite: metBySite(meaning, lacking),
    },
    placeless: some(meaning.placeless),
    ...{ seconds, leftOut },
  };
}

/** How many of each place have what is asked, once the plan is done. */
function metBySite({ asked, placeless }: Meaning, lacking: ReadonlySet<number>): Record<string, number> {
  const out = new Set([...lacking, ...placeless]);
  const met = new Map<string, number>();
  for (const [row, { site }] of asked.computers.entries())
    if (site !== null) met.set(site, (met.get(site) ?? 0) + (out.has(row) ? 0 : 1));
  return Object.fromEntries(met);
}

/** Computers that lack the same, by what stands against it. */
function byReason(
  { asked }: Meaning,
  computers: readonly number[],
  need: CoverLack["need"],
  whyNot: WhyNot,
): { rows: number[]; why: CoverWhy[] }[] {
  const groups = new Map<string, { rows: number[]; why: CoverWhy[] }>();
  const whysByKey = new Map<string, CoverWhy[]>();
  for (const row of computers) {
    // Judging why is dear: once for each class of computers that are judged alike.
    const kind = asked.serving.classOf(row) ?? `own ${row}`;
    const why = whysByKey.get(kind) ?? whyNot(itemAt(asked.computers, row), need);
    whysByKey.set(kind, why);
    const key = JSON.stringify(why);
    const group = groups.get(key) ?? { rows: [], why };
    group.rows.push(row);
    groups.set(key, group);
  }
  return [...groups.values()];
}

/** What costs money first, what changes nothing last. */
const ORDER: PlannedMedium["act"][] = ["buy", "rewrite", "move", "keep"];

function compareMedia(a: PlannedMedium, b: PlannedMedium): number {
  return (
    ORDER.indexOf(a.act) - ORDER.indexOf(b.act) ||
    a.site.localeCompare(b.site) ||
    (a.holds ?? "").localeCompare(b.holds ?? "") ||
    (a.medium ?? "").localeCompare(b.medium ?? "")
  );
}

/** For each act, the demands that what stands there then counts for. */
function demandsOfActs({ problem }: Meaning, acts: readonly CoverAct[]): Set<number>[] {
  const byKey = new Map<string, Set<number>>();
  return acts.map(({ content, site }) => {
    // Acts that end in the same content at the same site serve the same: the sets are shared, not copied.
    const key = `${content} ${site}`;
    const own =
      byKey.get(key) ??
      new Set(
        problem.demands.flatMap((demand, at) =>
          demand.servedBy.includes(content) && isWithin(problem, demand, site) ? [at] : [],
        ),
      );
    byKey.set(key, own);
    return own;
  });
}

function namesOf(meaning: Meaning, act: CoverAct): Omit<PlannedMedium, "serves" | "forcedBy" | "drills"> {
  const { asked, contents, media } = meaning;
  const at = act.act === "buy" ? null : itemAt(media, act.medium);
  const stands = at === null ? null : asked.stock[at];
  const content = contents[act.content];
  const candidate = content?.of === "candidate" ? asked.candidates[content.candidate] : undefined;
  const place = (site: number) => itemAt(asked.ways.places, site);
  return {
    act: act.act,
    medium: stands?.part.tag ?? null,
    lentTo: stands?.part.lentTo ?? null,
    holds: candidate?.releases.join(" and ") ?? (content?.of === "stock" ? heldBy(meaning, content.medium) : null),
    releaseId: candidate?.releaseId ?? null,
    besideIds: candidate?.besideIds ?? [],
    way: candidate?.way ?? null,
    from: act.act === "buy" || act.act === "keep" ? null : place(act.from),
    site: place(act.site),
    size: act.act === "buy" && content && content.of !== "stock" ? content.size : null,
    cost: act.cost,
  };
}

/** Where it has to be tried: what stands already on who was not proven, what is new on who forces it. */
function drillsOf({ asked, media, drills }: Meaning, act: CoverAct, forced: readonly number[]): string[] {
  if (act.act === "keep") return drills.get(itemAt(media, act.medium)) ?? [];
  const models = new Map<string, string>();
  for (const row of forced) {
    const computer = itemAt(asked.computers, row);
    const { proof } = asked.policyOf(computer).values;
    if (proof === "computer") models.set(computer.tag, computer.tag);
    if (proof === "model") noteModel(models, computer);
  }
  return [...models.values()].sort();
}

function heldBy({ asked }: Meaning, medium: number): string {
  return asked.stock[medium]?.releases.map(({ name }) => name).join(", ") ?? "";
}

/** What a plan's cost is made of. */
function costsOf({ problem }: Meaning, { acts }: CoverPlan): { purchase: number; work: number; travel: number } {
  const { rates, contents } = problem;
  const costs = { purchase: 0, work: 0, travel: 0 };
  for (const act of acts) {
    if (act.act === "buy") {
      const price = (contents[act.content]?.price ?? 0) * rates.purchase;
      costs.purchase += price;
      costs.work += (purchaseCost(problem, act.content) ?? price) - price;
      continue;
    }
    // The problem's cost of an act holds work and carrying together; people want them told apart.
    const travel = act.act === "keep" ? 0 : (carryingCost(problem, act.from, act.site) ?? 0);
    costs.travel += travel;
    costs.work += act.cost - travel;
  }
  return costs;
}
