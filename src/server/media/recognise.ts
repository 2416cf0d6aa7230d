import { desc, eq, isNotNull, sql } from "drizzle-orm";
import { z } from "zod";
import { likenessOfMarks, marksOf } from "@/core/medium/releases/marks";
import type { Context } from "../context";
import type { InspectionId, ReleaseId } from "../db/ids";
import { inspectionContents, inspections, kits, media, releases, sites } from "../db/schema";
import { asInspection } from "../inspections/inspections";
import { checked, ok, type Result } from "../problems";

/** What a medium that was read may be. */
export interface Recognised {
  /** The medium of that tag here, where it carries records that name it. */
  medium: { tag: string; name: string | null; site: string | null; retired: boolean } | null;
  /** Releases that it has much of, the likeliest first. */
  releases: {
    id: ReleaseId;
    text: string;
    inspectionId: InspectionId;
    of: number;
    all: number;
    hasManifest: boolean;
  }[];
}

const recogniseSchema = z.strictObject({
  /** As its own records tell it; null where it has none. */
  tag: z.string().max(60).nullable(),
  marks: z.array(z.string().max(500)).max(5_000),
});

/** A loader that many releases share says little: most of what is there has to be of a release. */
const LIKE_LEAST = 0.6;
/** Those that are hardly less like than the first are shown beside it. */
const NEAR = 0.1;
const SHOWN = 5;
/** Views are of no use here, and large. */
const NO_VIEWS = {
  uefi: { usb: { notes: [], volumes: [] }, optical: { notes: [], volumes: [] } },
  bios: {
    usb: { steps: [], outcome: "unknown", leniencies: [] },
    optical: { steps: [], outcome: "unknown", leniencies: [] },
  },
};

/** Whether a medium is one that is recorded, by its records, and of which release it is, by what is on it. */
export async function recogniseMedium(context: Context, input: unknown): Promise<Result<Recognised>> {
  const parsed = checked(recogniseSchema, input);
  if (!parsed.ok) return parsed;
  const { tag, marks } = parsed.value;
  const [own] =
    tag === null
      ? []
      : await context.db
          .select({ tag: media.tag, name: media.name, site: sites.name, retiredAt: media.retiredAt })
          .from(media)
          .leftJoin(sites, eq(sites.id, media.siteId))
          .where(eq(media.tag, tag));
  const medium = own ? { tag: own.tag, name: own.name, site: own.site, retired: own.retiredAt !== null } : null;
  const rows = await context.db
    .select({
      ...{ id: releases.id, kit: kits.name, name: releases.name, inspectionId: inspections.id, body: inspections.body },
      hasManifest: sql<number>`(SELECT COUNT(*) FROM ${inspectionContents} WHERE ${inspectionContents.inspectionId} = ${inspections.id} AND ${inspectionContents.manifest} IS NOT NULL)`,
    })
    .from(releases)
    .innerJoin(kits, eq(kits.id, releases.kitId))
    .innerJoin(inspections, eq(inspections.id, releases.inspectionId))
    .where(isNotNull(releases.inspectionId))
    .orderBy(desc(releases.id));
  const alike = rows.flatMap(({ body, kit, name, hasManifest, ...row }) => {
    const inspection = asInspection(body, NO_VIEWS);
    const likeness = inspection && likenessOfMarks(marks, marksOf(inspection));
    return likeness && likeness.of >= LIKE_LEAST
      ? [{ ...row, text: `${kit} ${name}`, ...likeness, hasManifest: Number(hasManifest) > 0 }]
      : [];
  });
  const sorted = alike.sort((a, b) => b.of - a.of || b.all - a.all);
  const best = sorted[0]?.of ?? 0;
  return ok({ medium, releases: sorted.filter(({ of }) => of >= best - NEAR).slice(0, SHOWN) });
}
