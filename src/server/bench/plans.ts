import { and, eq, isNull } from "drizzle-orm";
import type { BenchRequest } from "@/core/bench/job";
import { MemorySource } from "@/core/bytes/source";
import { compareVerdicts } from "@/core/chain/order";
import type { Link, Verdict } from "@/core/chain/schema";
import { judgePair, surroundingsOf } from "@/core/fleet/judge";
import type { FleetMedium } from "@/core/fleet/world";
import type { Inspection } from "@/core/inspection/schema";
import { type MediumPlan, type PlanRequest, planMedium } from "@/core/prepare/plan";
import { compareRoutes, type Route } from "@/core/routes/routes";
import type { FileToWrite } from "@/core/write/tree";
import type { Context } from "../context";
import { berths, devices, kits, media, releases, sites } from "../db/schema";
import { FileSource } from "../files/file-source";
import { fail, ok, type Result } from "../problems";
import { fleet } from "../services/fleet";
import { attachmentOf } from "../services/verdicts";
import { releaseParts } from "../services/world";
import { biosStart } from "./bios-start";
import { type DeviceRow, identityOfRow, type Look, lookAt } from "./devices";
import { releaseFile } from "./library";

/** What a medium that is to be made would come to. */
export interface Prediction {
  counts: Record<Verdict, number>;
  /** Computers by what they would come to, best first; at most so many of each. */
  items: { tag: string; name: string | null; verdict: Verdict; reason: string }[];
}

export interface PlanView {
  plan: MediumPlan;
  device: DeviceRow;
  look: Look;
  berth: { id: number; name: string };
  release: { id: number; text: string };
  prediction: Prediction | null;
}

export interface PlanWish extends PlanRequest {
  berthId: number;
  releaseId: number;
}

/** What Creel puts on a medium beside the release, the same for the same request. */
export function packOf({
  tag,
  releaseText,
  madeAt,
}: {
  tag: string;
  releaseText: string;
  madeAt: string;
}): FileToWrite[] {
  const text = `Medium ${tag}\n${releaseText}\nPrepared ${madeAt.slice(0, 10)} with Creel.\n\nEverything that starts from this medium, and what it is a route for, is in Creel under its tag.\n`;
  return [{ path: "/CREEL/about.txt", content: new MemorySource(new TextEncoder().encode(text)), modified: madeAt }];
}

/** The release in words, and the file that it is made from. */
export async function releaseToMake(
  context: Context,
  releaseId: number,
): Promise<Result<{ id: number; text: string; path: string; name: string }>> {
  const [row] = await context.db
    .select({ release: releases.name, kit: kits.name })
    .from(releases)
    .innerJoin(kits, eq(kits.id, releases.kitId))
    .where(eq(releases.id, releaseId));
  if (!row) return fail({ code: "not-found", what: "such release" });
  const found = await releaseFile(context, releaseId);
  if ("missing" in found) {
    const file = found.missing
      ? `Its file ${found.missing} is not in this server's library. Put it there, as it was when it was read.`
      : "It was never read from a file. Read it first, under Kits.";
    return fail({ code: "invalid", fields: { release: file } });
  }
  return ok({ id: releaseId, text: `${row.kit} ${row.release}`, path: found.file.path, name: found.file.name });
}

/** Plans a medium in a berth, and tells what it would come to. Problems: `not-found`, `invalid`. */
export async function planInBerth(context: Context, wish: PlanWish): Promise<Result<PlanView>> {
  const [found] = await context.db
    .select({ berth: { id: berths.id, name: berths.name }, device: devices })
    .from(berths)
    .innerJoin(devices, eq(devices.id, berths.deviceId))
    .where(eq(berths.id, wish.berthId));
  if (!found) return fail({ code: "not-found", what: "device in that berth" });
  const release = await releaseToMake(context, wish.releaseId);
  if (!release.ok) return release;
  const look = await lookAt(found.device);
  const madeAt = context.now().toISOString();
  const plan = await planOf(found.device, wish, release.value, madeAt);
  const prediction = plan.ok ? await predictionOf(context, plan.predicted, found.device, wish) : null;
  return ok({ plan, ...found, look, release: { id: release.value.id, text: release.value.text }, prediction });
}

/** The plan for a device, from the release's file. The file stays open no longer than the plan is made. */
async function planOf(
  device: DeviceRow,
  request: PlanRequest,
  release: { text: string; path: string; name: string },
  madeAt: string,
): Promise<MediumPlan> {
  const source = await FileSource.open(release.path);
  try {
    return await planFrom(source, device, request, release, madeAt);
  } finally {
    await source.close();
  }
}

export async function planFrom(
  source: FileSource,
  device: DeviceRow,
  { way, table, store, tag }: PlanRequest,
  release: { text: string; name: string },
  madeAt: string,
): Promise<MediumPlan> {
  const { kind, bytes, sectorBytes } = identityOfRow(device);
  return planMedium({
    request: { way, table, store, tag },
    image: source,
    name: release.name,
    device: { kind, bytes, sectorBytes },
    bios: await biosStart(),
    pack: packOf({ tag, releaseText: release.text, madeAt }),
    madeAt,
  });
}

const NAMED_OF_EACH = 12;

/** What a medium that is not made yet would start, see and restore: of the tag as it is, freshly written and verified today. */
async function predictionOf(
  context: Context,
  predicted: Inspection,
  device: DeviceRow,
  { tag, releaseId }: PlanWish,
): Promise<Prediction> {
  const { world, computers } = await fleet(context);
  const parts = await releaseParts(context);
  const part = parts.get(releaseId);
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
    as: attachmentOf(device.kind === "optical" ? "optical" : "usb"),
    views: { key: "predicted", views: predicted.views },
    fault: null,
    releases: part ? [part] : [],
  };
  // Whatever was proven with what the stick held before is proven no more.
  const around = surroundingsOf({ ...world, drills: world.drills.filter((drill) => drill.medium !== tag) });
  const counts = { holds: 0, "holds-after-change": 0, unknown: 0, broken: 0 };
  const items: Prediction["items"] = [];
  for (const computer of computers) {
    const best = judgePair(around, computer, medium)
      .map((route) => ({ route, link: weakestMade(route) }))
      .reduce<{ route: Route; link: Link } | null>((top, each) => {
        if (top === null) return each;
        const order =
          compareVerdicts(each.link.verdict, top.link.verdict) || compareRoutes(each.route, top.route).order;
        return order < 0 ? each : top;
      }, null);
    if (!best) continue;
    const { verdict, reasons } = best.link;
    if (++counts[verdict] > NAMED_OF_EACH) continue;
    items.push({ tag: computer.tag, name: computer.name, verdict, reason: reasons[0]?.text ?? "" });
  }
  return { counts, items };
}

/** Of the links that the making of a medium decides, the first that is as bad as the worst: it is nowhere yet, and untried. */
function weakestMade({ links }: Route): Link {
  return [links.starts, links.sees, links.restores].reduce((worst, link) =>
    compareVerdicts(link.verdict, worst.verdict) > 0 ? link : worst,
  );
}

/** The request that a job keeps of a plan that was agreed to. */
export function requestOf(wish: PlanWish, device: DeviceRow, fingerprint: string, madeAt: string): BenchRequest {
  const { way, table, store, tag } = wish;
  return { kind: "prepare", way, table, store, tag, madeAt, device: identityOfRow(device), fingerprint };
}
