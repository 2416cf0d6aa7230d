import { and, desc, eq, inArray, isNotNull, isNull, like } from "drizzle-orm";
import type { Verdict } from "@/core/chain/schema";
import { judgePair, surroundingsOf } from "@/core/fleet/judge";
import type { FleetMedium } from "@/core/fleet/world";
import type { Inspection } from "@/core/inspection/schema";
import { DISCS } from "@/core/prepare/discs";
import { type Alternative, planMedium } from "@/core/prepare/plan";
import { type Candidate, type Proposal, propose, together } from "@/core/prepare/propose";
import { changeText } from "@/core/words/reasons";
import type { Context } from "../context";
import { kits, loads, media, releases } from "../db/schema";
import { FileSource } from "../files/file-source";
import { fleet } from "../services/fleet";
import { releaseParts } from "../services/world";
import { type Berth, listBerths } from "./berths";
import { biosStart } from "./bios-start";
import { type CarriableFile, carriableFiles } from "./carry";
import { releaseFile } from "./library";
import { bestMade } from "./plans";

export interface ProposedMedium extends Proposal {
  release: string;
  /** A tag that is free, in the way of those that the kit has. */
  tag: string;
  /** Berths with a device that can be taken for it, the smallest that is enough first. */
  berths: { id: number; name: string; bytes: number }[];
}

export interface ProposalView {
  /** Tags of computers that are in service, as they were asked for. */
  computers: { tag: string; name: string | null }[];
  unknown: string[];
  proposals: ProposedMedium[];
  /** Where the first does not serve all that can be served. */
  together: ProposedMedium[];
  /** Releases that were not looked at, and why. */
  leftOut: { release: string; why: string }[];
  /** Files of the library that seem to be images of these computers. */
  images: CarriableFile[];
}

export const COMPUTERS_MOST = 500;

const WAYS: Alternative[] = [
  { way: "as-it-is", store: false, table: "gpt" },
  { way: "laid-out", store: false, table: "gpt" },
  { way: "laid-out", store: false, table: "mbr" },
  { way: "disc", store: false, table: "gpt" },
];

/** What a release made in one way starts, and how much it writes; null where it cannot be made so. */
interface Made {
  predicted: Inspection;
  writtenBytes: number;
}

/** What a release's file comes to depends on that file and the way alone: kept, as reading it takes a second. */
const MADE_KEPT = 200;
const made = new Map<string, Promise<Made | null>>();

function madeAs(
  path: string,
  name: string,
  bytes: number,
  inspectionId: number,
  way: Alternative,
): Promise<Made | null> {
  const key = `${inspectionId} ${way.way} ${way.table}`;
  const known = made.get(key);
  if (known) return known;
  const making = planned(path, name, bytes, way);
  made.set(key, making);
  making.catch(() => made.delete(key));
  if (made.size > MADE_KEPT) made.delete(made.keys().next().value as string);
  return making;
}

async function planned(path: string, name: string, bytes: number, way: Alternative): Promise<Made | null> {
  const source = await FileSource.open(path);
  try {
    const isDisc = way.way === "disc";
    const room = Math.ceil((bytes * 2 + 512e6) / (1 << 20)) * (1 << 20);
    const plan = await planMedium({
      request: { ...way, tag: "PROPOSED" },
      image: source,
      name,
      device: isDisc
        ? { kind: "optical", bytes: DISCS.at(-1)?.bytes ?? room, sectorBytes: 2048 }
        : { kind: "usb", bytes: room, sectorBytes: 512 },
      bios: await biosStart(),
      pack: [],
      madeAt: "2026-01-01T00:00:00.000Z",
    });
    return plan.ok ? { predicted: plan.predicted, writtenBytes: plan.writtenBytes } : null;
  } finally {
    await source.close();
  }
}

/** For run sheets and records, and for what a file system needs of its own. */
const BESIDE_BYTES = 64e6;
const ROOM_SHARE = 1.05;

/** Proposes media for some computers: what would be a route for most of them, made how, on what, and why. */
export async function proposeFor(
  context: Context,
  { tags, ids }: { tags: readonly string[]; ids: readonly number[] },
): Promise<ProposalView> {
  const { world, computers } = await fleet(context);
  const byTag = new Map(computers.map((computer) => [computer.tag.toLowerCase(), computer]));
  const wanted = [...new Set(tags.map((tag) => tag.trim().toLowerCase()).filter(Boolean))].slice(0, COMPUTERS_MOST);
  const marked = new Set(ids);
  const chosen = [
    ...new Set([...wanted.flatMap((tag) => byTag.get(tag) ?? []), ...computers.filter(({ id }) => marked.has(id))]),
  ].slice(0, COMPUTERS_MOST);
  const unknown = tags.filter((tag) => tag.trim() !== "" && !byTag.has(tag.trim().toLowerCase()));
  const [rows, parts, carriable] = await Promise.all([
    context.db
      .select({ id: releases.id, name: releases.name, kit: kits.name, inspectionId: releases.inspectionId })
      .from(releases)
      .innerJoin(kits, eq(kits.id, releases.kitId))
      .where(and(isNull(releases.supersededById), isNotNull(releases.inspectionId)))
      .orderBy(kits.name, desc(releases.madeOn)),
    releaseParts(context),
    carriableFiles(),
  ]);
  const around = surroundingsOf(world);
  const candidates: Candidate[] = [];
  const leftOut: ProposalView["leftOut"] = [];
  const names = new Map(rows.map(({ id, name, kit }) => [id, { release: `${kit} ${name}`, kit }]));
  for (const { id, name, kit, inspectionId } of rows) {
    const found = await releaseFile(context, id);
    if ("missing" in found) {
      leftOut.push({
        release: `${kit} ${name}`,
        why: `Its file ${found.missing ?? ""} is not in this server's library.`,
      });
      continue;
    }
    const { path, name: fileName, bytes } = found.file;
    for (const way of WAYS) {
      const result = await madeAs(path, fileName, bytes, inspectionId as number, way);
      if (!result) continue;
      const medium = wishedMedium(result.predicted, way, parts.get(id) ?? null, world.today);
      candidates.push({
        releaseId: id,
        way,
        neededBytes:
          Math.ceil(result.writtenBytes * (way.way === "laid-out" ? ROOM_SHARE : 1)) +
          (way.way === "disc" ? 0 : BESIDE_BYTES),
        computers: chosen.map((computer) => {
          const best = bestMade(judgePair(around, computer, medium));
          const verdict: Verdict = best?.link.verdict ?? "unknown";
          const [change] = verdict === "holds-after-change" ? (best?.link.changes ?? []) : [];
          const said = change ? `${changeText(change)}.` : best?.link.reasons[0]?.text;
          return { tag: computer.tag, verdict, reason: said ?? "Nothing is known of it." };
        }),
      });
    }
  }
  const berths = await listBerths(context);
  const complete = async (each: Proposal): Promise<ProposedMedium> => {
    const { release = "", kit = "" } = names.get(each.releaseId) ?? {};
    return { ...each, release, tag: await freeTag(context, each.releaseId, kit), berths: berthsFor(each, berths) };
  };
  const proposals = await Promise.all(propose(candidates).map(complete));
  const few = together(proposals) as ProposedMedium[];
  return {
    computers: chosen.map(({ tag, name }) => ({ tag, name })),
    unknown,
    proposals,
    together: few.length > 1 ? few : [],
    leftOut,
    images: carriable.filter(({ name }) => chosen.some(({ tag }) => name.toLowerCase().startsWith(tag.toLowerCase()))),
  };
}

/** The medium as it would be: freshly made, whole, and at hand. */
function wishedMedium(
  predicted: Inspection,
  { way }: Alternative,
  part: FleetMedium["releases"][number] | null,
  today: string,
): FleetMedium {
  return {
    part: {
      ...{
        tag: "a new medium",
        site: null,
        lentTo: null,
        retired: false,
        condition: "good",
        writtenOn: today,
        copies: [],
      },
      verified: { on: today, whole: true },
    },
    as: way === "disc" ? "optical" : "usb",
    views: { key: "proposed", views: predicted.views },
    fault: null,
    releases: part ? [part] : [],
  };
}

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

/** The next tag after those of the kit's media: "RM-05" → "RM-06"; of a kit without media, after its name. */
async function freeTag(context: Context, releaseId: number, kit: string): Promise<string> {
  const own = await context.db
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
  const numbered = own.flatMap(({ tag }) => /^(.*?)(\d+)$/.exec(tag) ?? []);
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
