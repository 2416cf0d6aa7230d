import { and, eq, isNull } from "drizzle-orm";
import { judgePair, surroundingsOf } from "@/core/fleet/judge";
import type { FleetMedium } from "@/core/fleet/world";
import { compareVerdicts } from "@/core/judging/model/order";
import type { Reason } from "@/core/judging/model/reasons";
import { withoutSystemFilesPart } from "@/core/judging/model/release-part";
import type { Link, Verdict } from "@/core/judging/model/schema";
import { compareRoutes, type Route } from "@/core/judging/routes/routes";
import type { BenchRequest, Carry, KeptAs } from "@/core/making/jobs/job";
import type { PackFile } from "@/core/making/pack/pack";
import { type Carried, isLean, type MediumPlan, type PlanRequest } from "@/core/making/planning/plan";
import type { Context } from "../context";
import type { BerthId, ReleaseId } from "../db/ids";
import { berths, devices, kits, media, releases, sites } from "../db/schema";
import { type DeviceShape, identityOfRow, type Look } from "../devices/device";
import { planFromMaterial } from "../devices/material";
import { asked } from "../fleet/asked";
import { fleet } from "../fleet/fleet";
import { releaseParts } from "../fleet/world";
import { biosStart } from "../host/bios-start";
import { FileSource } from "../host/file-source";
import { attachmentOf } from "../inspections/verdicts";
import { fail, ok, type Result, refused } from "../problems";
import { driversToCarry, openCarried } from "./carry";
import { type DeviceRow, mediumKindOf } from "./devices";
import { releaseFile } from "./library";
import { lookAt } from "./looks";
import { makeablePartsOf } from "./makeable";
import { makePack, type Served } from "./packs";

/** What a medium that is to be made would come to. */
interface Prediction {
  counts: Record<Verdict, number>;
  /** Computers by what they would come to, best first; at most so many of each. */
  items: { tag: string; name: string | null; verdict: Verdict; reason: Reason | null }[];
}

export interface PlanView {
  plan: MediumPlan;
  device: DeviceShape;
  release: { id: ReleaseId; text: string };
  /** The releases beside it, in words. */
  beside: string[];
  prediction: Prediction | null;
  /** What stands on the medium beside the release. */
  pack: PackFile[];
  carry: Carry[];
  madeAt: string;
  /** The way in which the same is made with a store in the room that is left; null where there is none, or it cannot be. */
  withStore: PlanRequest["way"] | null;
}

/** A plan for what is in a berth. */
export interface BerthPlanView extends PlanView {
  device: DeviceRow;
  look: Look;
  berth: { id: BerthId; name: string };
}

/** What a medium is to be, whatever it is made on. */
export interface MediumWish extends PlanRequest {
  releaseId: ReleaseId;
  /** More releases, in partitions of their own. */
  besideIds: readonly number[];
  /** Files of the library that are carried along, by name. */
  files: readonly string[];
}

export interface PlanWish extends MediumWish {
  berthId: BerthId;
}

/** A release in words, and the file that it is made from. */
interface ReleaseToMake {
  id: ReleaseId;
  text: string;
  path: string;
  name: string;
}

/** Problems: `not-found`, `invalid` where its file is not there. */
async function releaseToMake(context: Context, releaseId: ReleaseId): Promise<Result<ReleaseToMake>> {
  const [row] = await context.db
    .select({ release: releases.name, kit: kits.name })
    .from(releases)
    .innerJoin(kits, eq(kits.id, releases.kitId))
    .where(eq(releases.id, releaseId));
  if (!row) return fail({ code: "not-found", what: "release" });
  const found = await releaseFile(context, releaseId);
  if ("missing" in found) {
    return found.missing
      ? refused({ code: "release-file-missing", file: found.missing })
      : refused({ code: "release-never-read" });
  }
  return ok({ id: releaseId, text: `${row.kit} ${row.release}`, path: found.file.path, name: found.file.name });
}

/** Plans a medium in a berth, and tells what it would come to. Problems: `not-found`, `invalid`. */
export async function planInBerth(context: Context, wish: PlanWish): Promise<Result<BerthPlanView>> {
  const [found] = await context.db
    .select({ berth: { id: berths.id, name: berths.name }, device: devices })
    .from(berths)
    .innerJoin(devices, eq(devices.id, berths.deviceId))
    .where(eq(berths.id, wish.berthId));
  if (!found) return fail({ code: "not-found", what: "device in that berth" });
  const look = await lookAt(context, found.device);
  const planned = await planOn(context, wish, found.device);
  return planned.ok ? ok({ ...planned.value, ...found, look }) : planned;
}

/** Plans a medium, and tells what it would come to. Problems: `not-found`, `invalid`. */
export async function planOn(context: Context, wish: MediumWish, device: DeviceShape): Promise<Result<PlanView>> {
  const opened = await openReleases(context, [wish.releaseId, ...wish.besideIds]);
  if (!opened.ok) return opened;
  const { files } = opened.value;
  const [{ id, text }] = files as [OpenRelease];
  const madeAt = context.now().toISOString();
  try {
    const bare = await planFrom(files, device, wish, [], madeAt);
    const beside = files.slice(1).map((each) => each.text);
    const view = { device, release: { id, text }, beside, madeAt };
    if (!bare.ok) return ok({ ...view, plan: bare, prediction: null, pack: [], carry: [], withStore: null });
    const made = {
      views: bare.predicted.views,
      loads: bare.loads,
      as: attachmentOf(mediumKindOf(device)),
      ...{ tag: wish.tag, releaseId: wish.releaseId, besideIds: wish.besideIds, isLean: isLean(bare) },
    };
    const { prediction, served, drivers } = await predictionOf(context, made);
    const carry: Carry[] = [...drivers, ...wish.files.map((name) => ({ kind: "file" as const, name }))];
    const packWish = {
      tag: wish.tag,
      kind: mediumKindOf(device),
      bytes: device.bytes,
      releaseId: id,
      ...{ besideIds: wish.besideIds, loads: bare.loads, isLean: isLean(bare) },
      madeAt,
      isLaidOut: wish.way === "laid-out",
    } as const;
    // Who is served follows from what the medium starts; then it gets their sheets.
    const pack = await makePack(context, (files[0] as OpenRelease).source, packWish, served);
    const carried = await openCarried(context, carry);
    if (!carried.ok) return carried;
    try {
      const plan = await planFrom(files, device, wish, pack, madeAt, carried.value);
      const isRoomLeft = plan.ok && plan.notes.some(({ code }) => code === "room-left");
      const more = { ...wish, way: wish.way === "as-it-is" ? ("as-it-is-with-store" as const) : wish.way, store: true };
      const isStoreWell = isRoomLeft && (await planFrom(files, device, more, pack, madeAt, carried.value)).ok;
      return ok({ ...view, plan, prediction, pack, carry, withStore: isStoreWell ? more.way : null });
    } finally {
      await carried.value.close();
    }
  } finally {
    await opened.value.close();
  }
}

/** A release with its file open. */
export interface OpenRelease extends ReleaseToMake {
  source: FileSource;
}

/** Opens the files of releases that are to stand on a medium together; to be closed once it is made. */
export async function openReleases(
  context: Context,
  ids: readonly number[],
): Promise<Result<{ files: OpenRelease[]; close: () => Promise<void> }>> {
  if (new Set(ids).size < ids.length) return refused({ code: "release-twice" });
  const found: ReleaseToMake[] = [];
  for (const id of ids) {
    const release = await releaseToMake(context, id);
    if (!release.ok) return release;
    found.push(release.value);
  }
  const sources = await FileSource.openAll(found.map(({ path }) => path));
  const files = found.map((release, nth) => ({ ...release, source: sources[nth] as FileSource }));
  const close = async () => {
    await Promise.all(sources.map((source) => source.close()));
  };
  return ok({ files, close });
}

/** The plan for a device, from the releases' files, which stay open for as long as the plan is used; the first is the medium's own. */
export async function planFrom(
  releases: readonly OpenRelease[],
  device: DeviceShape,
  request: PlanRequest,
  pack: readonly PackFile[],
  madeAt: string,
  carried?: Carried,
): Promise<MediumPlan> {
  const material = { releases: releases.map(({ text, name, source }) => ({ title: text, name, source })) };
  return planFromMaterial(
    { ...material, pack, bios: await biosStart(), ...(carried ? { carried } : {}) },
    device,
    request,
    madeAt,
  );
}

const NAMED_OF_EACH = 12;

/** A medium that is to be made, as far as chains go by it. */
interface ToBeMade extends Pick<PlanWish, "tag" | "releaseId" | "besideIds"> {
  /** Made without the system files that its releases have. */
  isLean: boolean;
  views: PlanOk["predicted"]["views"];
  loads: PlanOk["loads"];
  as: FleetMedium["as"];
}
type PlanOk = Extract<MediumPlan, { ok: true }>;

interface Predicted {
  prediction: Prediction;
  served: Served[];
  drivers: Carry[];
}

/** What a medium that is not made yet would start, see and restore: of the tag as it is, freshly written and verified today. */
const predictionOf = asked("prediction", async (context: Context, made: ToBeMade): Promise<Predicted> => {
  const { views, loads, as, tag, releaseId, besideIds } = made;
  const { world, computers } = await fleet(context);
  const parts = await releaseParts(context);
  const whole = makeablePartsOf(parts, [releaseId, ...besideIds], loads);
  const carried = made.isLean ? whole.map(withoutSystemFilesPart) : whole;
  const [part] = carried;
  const [known] = await context.db
    .select({ site: sites.name, condition: media.condition })
    .from(media)
    .leftJoin(sites, eq(sites.id, media.siteId))
    .where(and(eq(media.tag, tag), isNull(media.retiredAt)));
  const today = world.today;
  const medium: FleetMedium = {
    part: {
      tag,
      site: known?.site ?? null,
      lentTo: null,
      retired: false,
      condition: known?.condition ?? "good",
      writtenOn: today,
      verified: { on: today, whole: true },
      copies: [],
    },
    as,
    views: { key: "predicted", views },
    fault: null,
    releases: carried,
  };
  // Whatever was proven with what the stick held before is proven no more.
  const around = surroundingsOf({ ...world, drills: world.drills.filter((drill) => drill.medium !== tag) });
  const counts = { holds: 0, "holds-after-change": 0, unknown: 0, broken: 0 };
  const items: Prediction["items"] = [];
  const served: (Served & { order: number })[] = [];
  // Also where it is not sure what the release drives: a driver that is there is not missing.
  const hopeful: { computer: (typeof computers)[number]; route: Route }[] = [];
  for (const computer of computers) {
    const best = bestMade(judgePair(around, computer, medium));
    if (!best) continue;
    const { verdict, reasons } = best.link;
    const order = ["holds", "holds-after-change"].indexOf(verdict);
    if (order >= 0) served.push({ computerId: computer.id, route: best.route, order });
    if (verdict !== "broken") hopeful.push({ computer, route: best.route });
    if (++counts[verdict] > NAMED_OF_EACH) continue;
    items.push({ tag: computer.tag, name: computer.name, verdict, reason: reasons[0] ?? null });
  }
  served.sort((a, b) => a.order - b.order);
  const drivers = part ? driversToCarry(world, parts, part, hopeful) : [];
  return { prediction: { counts, items }, served, drivers };
});

/** Of a computer's routes with a medium that is to be made, the best by the links that its making decides. */
export function bestMade(routes: Route[]): { route: Route; link: Link } | null {
  return routes
    .map((route) => ({ route, link: weakestMade(route) }))
    .reduce<{ route: Route; link: Link } | null>((top, each) => {
      if (top === null) return each;
      const order = compareVerdicts(each.link.verdict, top.link.verdict) || compareRoutes(each.route, top.route).order;
      return order < 0 ? each : top;
    }, null);
}

/** Of the links that the making of a medium decides, the first that is as bad as the worst: it is nowhere yet, and untried. */
function weakestMade({ links }: Route): Link {
  return [links.starts, links.sees, links.restores].reduce((worst, link) =>
    compareVerdicts(link.verdict, worst.verdict) > 0 ? link : worst,
  );
}

/** The request that a job keeps of a plan that was agreed to. */
export function requestOf(
  wish: PlanWish,
  device: DeviceRow,
  kept: { fingerprint: string; madeAt: string; pack: string; carry: Carry[]; keptAs: KeptAs | undefined },
): BenchRequest {
  const { way, table, store, tag, besideIds, systemFiles } = wish;
  return {
    kind: "prepare",
    way,
    table,
    store,
    tag,
    systemFiles,
    besideIds: [...besideIds],
    device: identityOfRow(device),
    ...kept,
  };
}
