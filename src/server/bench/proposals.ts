import { eq, inArray, like } from "drizzle-orm";
import type { LeftOut } from "@/core/cover/result";
import { freshMedium } from "@/core/cover/serving";
import { judgePair, surroundingsOf } from "@/core/fleet/judge";
import type { Verdict } from "@/core/judging/model/schema";
import { type Candidate, type Proposal, propose, together } from "@/core/making/planning/propose";
import type { Context } from "../context";
import type { BerthId, ReleaseId } from "../db/ids";
import { kits, loads, media, releases } from "../db/schema";
import { asked } from "../fleet/asked";
import { fleet } from "../fleet/fleet";
import { releaseParts } from "../fleet/world";
import { type Berth, listBerths } from "./berths";
import { type CarriableFile, carriableFiles } from "./carry";
import { type Makeable, makeable, makeablePartsOf } from "./makeable";
import { bestMade } from "./plans";

export interface ProposedMedium extends Proposal {
  release: string;
  /** A tag that is free, in the way of those that the kit has. */
  tag: string;
  /** Berths with a device that can be taken for it, the smallest that is enough first. */
  berths: { id: BerthId; name: string; bytes: number }[];
}

export interface ProposalView {
  /** Tags of computers that are in service, as they were asked for. */
  computers: { tag: string; name: string | null }[];
  unknown: string[];
  proposals: ProposedMedium[];
  /** Where the first does not serve all that can be served. */
  together: ProposedMedium[];
  /** Releases that were not looked at, and why. */
  leftOut: LeftOut[];
  /** Files of the library that seem to be images of these computers. */
  images: CarriableFile[];
}

export const COMPUTERS_MOST = 500;

/** Proposes media for some computers: what would be a route for most of them, made how, on what, and why. */
export async function proposeFor(
  context: Context,
  { tags, ids }: { tags: readonly string[]; ids: readonly number[] },
): Promise<ProposalView> {
  const [{ found, leftOut }, carriable] = await Promise.all([makeable(context), carriableFiles()]);
  const made = found.map(({ releaseId, way, neededBytes, predicted }) => ({
    ...{ releaseId, way, neededBytes, views: predicted.views },
  }));
  const { chosen, unknown, candidates } = await candidatesFor(context, tags, ids, made);
  const names = new Map(found.map(({ releaseId, releases: [release], kit }) => [releaseId, { release, kit }]));
  const berths = await listBerths(context);
  const complete = async (each: Proposal): Promise<ProposedMedium> => {
    const { release = "", kit = "" } = names.get(each.releaseId) ?? {};
    return { ...each, release, tag: await freeTag(context, each.releaseId, kit), berths: berthsFor(each, berths) };
  };
  const proposals = await Promise.all(propose(candidates).map(complete));
  const few = together(proposals) as ProposedMedium[];
  return {
    computers: chosen,
    unknown,
    proposals,
    together: few.length > 1 ? few : [],
    leftOut,
    images: carriable.filter(({ name }) => chosen.some(({ tag }) => name.toLowerCase().startsWith(tag.toLowerCase()))),
  };
}

/** A release of the library, made in one way. */
type Made = Pick<Candidate, "releaseId" | "way" | "neededBytes"> & { views: Makeable["predicted"]["views"] };

interface CandidatesFor {
  chosen: { tag: string; name: string | null }[];
  unknown: string[];
  candidates: Candidate[];
}

/** What each that could be made would be for some computers, named by tag or by id. */
const candidatesFor = asked(
  "candidates",
  async (
    context: Context,
    tags: readonly string[],
    ids: readonly number[],
    made: readonly Made[],
  ): Promise<CandidatesFor> => {
    const { world, computers } = await fleet(context);
    const byTag = new Map(computers.map((computer) => [computer.tag.toLowerCase(), computer]));
    const wanted = [...new Set(tags.map((tag) => tag.trim().toLowerCase()).filter(Boolean))].slice(0, COMPUTERS_MOST);
    const marked = new Set(ids);
    const chosen = [
      ...new Set([...wanted.flatMap((tag) => byTag.get(tag) ?? []), ...computers.filter(({ id }) => marked.has(id))]),
    ].slice(0, COMPUTERS_MOST);
    const parts = await releaseParts(context);
    const around = surroundingsOf(world);
    return {
      chosen: chosen.map(({ tag, name }) => ({ tag, name })),
      unknown: tags.filter((tag) => tag.trim() !== "" && !byTag.has(tag.trim().toLowerCase())),
      candidates: made.map(({ releaseId, way, neededBytes, views }): Candidate => {
        const as = way.way === "disc" ? "optical" : "usb";
        const carried = makeablePartsOf(parts, [releaseId]);
        const medium = freshMedium({ key: "proposed", views }, as, carried, world.today);
        return {
          ...{ releaseId, way, neededBytes },
          computers: chosen.map((computer) => {
            const best = bestMade(judgePair(around, computer, medium));
            const verdict: Verdict = best?.link.verdict ?? "unknown";
            const [change] = verdict === "holds-after-change" ? (best?.link.changes ?? []) : [];
            const reason = best?.link.reasons[0];
            return { tag: computer.tag, verdict, reason: change ? { change } : reason ? { reason } : null };
          }),
        };
      }),
    };
  },
);

/** Devices that hold it, that nothing depends on, and that are to be relied on. */
function berthsFor({ way, neededBytes }: Proposal, berths: Berth[]): ProposedMedium["berths"] {
  return berths
    .flatMap(({ id, name, device, jobId }) => {
      if (!device || jobId !== null) return [];
      const { row, loss, trust, look, medium } = device;
      const isFree =
        !row.isStore &&
        medium === null &&
        loss.images.length === 0 &&
        look.fault === null &&
        trust.verdict !== "distrust";
      const fits = (row.kind === "optical") === (way.way === "disc") && row.bytes >= neededBytes;
      return isFree && fits ? [{ id, name, bytes: row.bytes }] : [];
    })
    .sort((a, b) => a.bytes - b.bytes)
    .slice(0, 4);
}

/** A free tag for a new medium of a release, in the way of those that its kit has. */
export async function freeTagFor(context: Context, releaseId: ReleaseId): Promise<string> {
  const [row] = await context.db
    .select({ kit: kits.name })
    .from(releases)
    .innerJoin(kits, eq(kits.id, releases.kitId))
    .where(eq(releases.id, releaseId));
  return row ? freeTag(context, releaseId, row.kit) : "";
}

/** The next tag after those of the kit's media: "RM-05" → "RM-06"; of a kit without media, after its name. */
async function freeTag(context: Context, releaseId: ReleaseId, kit: string): Promise<string> {
  const ownMedia = await context.db
    .select({ tag: media.tag })
    .from(loads)
    .innerJoin(media, eq(media.id, loads.mediumId))
    .innerJoin(releases, eq(releases.id, loads.releaseId))
    .where(
      inArray(
        releases.kitId,
        context.db.select({ id: releases.kitId }).from(releases).where(eq(releases.id, releaseId)),
      ),
    );
  const numbered = ownMedia.flatMap(({ tag }) => /^(.*?)(\d+)$/.exec(tag) ?? []);
  const prefix =
    numbered[1] ??
    `${
      kit
        .replace(/[^A-Za-z]/g, "")
        .slice(0, 2)
        .toUpperCase() || "RM"
    }-`;
  const taken = await context.db
    .select({ tag: media.tag })
    .from(media)
    .where(like(media.tag, `${prefix.replace(/[\\%_]/g, "\\$&")}%`));
  const numbers = taken.flatMap(({ tag }) => {
    const digits = tag.slice(prefix.length);
    return /^\d+$/.test(digits) ? [Number(digits)] : [];
  });
  return `${prefix}${String(Math.max(0, ...numbers) + 1).padStart(2, "0")}`;
}
