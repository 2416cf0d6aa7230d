import { and, desc, eq, isNull } from "drizzle-orm";
import type { z } from "zod";
import type { Facts } from "@/core/computer/facts/schema";
import type { StoredRatio } from "@/core/computer/needs/stored-size";
import { type ImagePlan, planImage } from "@/core/images/checks";
import { nextImage } from "@/core/images/contents";
import {
  isAnyEncrypted,
  type LinkKind,
  type PastImage,
  type PastImages,
  secondsFor,
  storedRatio,
  USUAL_RATES,
} from "@/core/images/forecast";
import { compilePattern, nameBy, USUAL_PATTERN } from "@/core/images/names";
import { imageBodySchema } from "@/core/judging/model/parts";
import { dayOf } from "@/core/kernel/days";
import type { Range } from "@/core/kernel/range";
import type { Context } from "../context";
import type { ComputerId, SiteId, StoreId } from "../db/ids";
import { sites, systemImages } from "../db/schema";
import { getComputer } from "../inventory/computers";
import { fail, ok, type Result } from "../problems";
import { getStore, type StoreDetail } from "./stores";

export interface ImagePlanView extends ImagePlan {
  computer: { tag: string; name: string | null; site: string | null; facts: Facts };
  store: StoreDetail | null;
  /** A name by the store's pattern. */
  name: string;
  /** Seconds: to take it, to verify it, and to put it back; null where its size is not known. */
  seconds: { take: Range; verify: Range; restore: Range } | null;
}

const LEARNED_FROM = 12;
/** The next image is estimated from so many of the computer's own, and so many of all computers', the latest ones. */
const OWN_MOST = 100;
const OTHERS_MOST = 400;

interface BodyTaken {
  takenAt: Date;
  body: z.infer<typeof imageBodySchema>;
}

/** The latest images of a computer; null: of all computers. */
async function latestBodies(context: Context, computerId: ComputerId | null, most: number): Promise<BodyTaken[]> {
  const rows = await context.db
    .select({ takenAt: systemImages.takenAt, body: systemImages.body })
    .from(systemImages)
    .where(
      and(isNull(systemImages.deletedAt), computerId === null ? undefined : eq(systemImages.computerId, computerId)),
    )
    .orderBy(desc(systemImages.takenAt))
    .limit(most);
  return rows.flatMap(({ takenAt, body }) => {
    const parsed = imageBodySchema.safeParse(body);
    return parsed.success ? [{ takenAt, body: parsed.data }] : [];
  });
}

/** A computer's own images, and what they and others with the same kit came to, the latest first. */
async function takenBefore(context: Context, id: ComputerId): Promise<{ own: BodyTaken[]; past: PastImages }> {
  const [own, recent] = await Promise.all([
    latestBodies(context, id, OWN_MOST),
    latestBodies(context, null, OTHERS_MOST),
  ]);
  const pastOf = (some: BodyTaken[]): PastImage[] =>
    some.map(({ takenAt, body }) => ({
      ...{ usedBytes: body.usedBytes ?? null, storedBytes: body.storedBytes ?? null },
      ...{ kind: body.kind, takenAt: takenAt.toISOString(), encrypted: body.encrypted },
    }));
  const kit = own[0]?.body.kit ?? recent[0]?.body.kit ?? null;
  return { own, past: { own: pastOf(own), sameKit: pastOf(recent.filter(({ body }) => body.kit === kit)) } };
}

/** What a used byte of this computer comes to in an image, as every page that tells a size of one takes it. */
export async function storedRatioOf(context: Context, id: ComputerId, facts: Facts): Promise<StoredRatio> {
  const { past } = await takenBefore(context, id);
  return storedRatio(isAnyEncrypted(nextImage(facts).take), past);
}

/** What to see to before an image of a computer is taken onto a store. Problems: `not-found`. */
export async function imagePlan(
  context: Context,
  tag: string,
  storeId: StoreId | null,
  state: string | null,
): Promise<Result<ImagePlanView>> {
  const detail = await getComputer(context, tag);
  if (!detail) return fail({ code: "not-found", what: "computer", name: tag });
  const store = storeId === null ? null : await getStore(context, storeId);
  if (storeId !== null && !store) return fail({ code: "not-found", what: "store" });
  const { facts } = detail;
  const { own, past } = await takenBefore(context, detail.row.id);
  const plan = planImage(
    tag,
    facts,
    store && {
      ...{ name: store.row.name, kind: store.row.kind, computer: store.computer },
      ...{ diskSerial: store.row.diskSerial, freeBytes: store.row.freeBytes },
    },
    past,
  );
  const system = facts.systems?.[0];
  const pattern = compilePattern(store?.row.namePattern ?? (await patternOf(context, detail.row.siteId)));
  const name = pattern.ok
    ? nameBy(pattern.pattern, {
        ...{ computer: tag, site: detail.siteName, system: system?.name ?? null, version: system?.version ?? null },
        ...{ date: dayOf(context.now()), kind: "full", state },
      })
    : "";
  const learned = own
    .flatMap(({ body }) =>
      body.takenSeconds && body.usedBytes ? [{ bytes: body.usedBytes, seconds: body.takenSeconds }] : [],
    )
    .slice(0, LEARNED_FROM);
  return ok({
    ...plan,
    computer: { tag: detail.row.tag, name: detail.row.name, site: detail.siteName, facts },
    store,
    name,
    seconds:
      plan.size && plan.usedBytes !== null ? timesFor(plan.usedBytes, plan.size.bytes, store, facts, learned) : null,
  });
}

/** How images of computers at a place are called. */
export async function patternOf(context: Context, siteId: SiteId | null): Promise<string> {
  if (siteId === null) return USUAL_PATTERN;
  const [place] = await context.db.select({ pattern: sites.namePattern }).from(sites).where(eq(sites.id, siteId));
  return place?.pattern ?? USUAL_PATTERN;
}

/** Reading the disk, and writing what is stored; verifying reads it back; putting back is the way round. */
function timesFor(
  usedBytes: number,
  stored: Range,
  store: StoreDetail | null,
  facts: Facts,
  learned: { bytes: number; seconds: number }[],
): { take: Range; verify: Range; restore: Range } {
  const link = USUAL_RATES[(store?.row.link as LinkKind | null) ?? "usb3"];
  const measured = (rate: number | null | undefined) => (rate ? { low: rate * 0.8, high: rate } : null);
  const write = measured(store?.row.writeRate) ?? link;
  const read = measured(store?.row.readRate) ?? link;
  const isSolid = (facts.disks ?? []).some(({ bus }) => bus === "nvme");
  const disk = USUAL_RATES[isSolid ? "internal" : "hard-disk"];
  const used = { low: usedBytes, likely: usedBytes, high: usedBytes };
  return {
    take: secondsFor(
      [
        { bytes: used, rate: disk },
        { bytes: stored, rate: write },
      ],
      learned,
    ),
    verify: secondsFor([{ bytes: stored, rate: read }]),
    restore: secondsFor([
      { bytes: used, rate: disk },
      { bytes: stored, rate: read },
    ]),
  };
}
