import { BROKEN, linkCode } from "../fleet/cell";
import { FleetMatrix } from "../fleet/matrix";
import type { FleetMedium, World } from "../fleet/world";
import { lineagesOf } from "../images/lineage";
import type { MediumPart, ReleasePart } from "../judging/model/parts";
import { type OutcomeKind, outcomesOf } from "../judging/routes/outcome";
import { itemAt } from "../kernel/item-at";
import { NEED_OUTCOMES, NEEDS, type Need } from "./policy";

/** Purposes by which a release gives each outcome. */
const PURPOSES: Partial<Record<OutcomeKind, ReleasePart["facts"]["purposes"][number]>> = {
  image: "put-back-images",
  reinstall: "reinstall",
  factory: "factory-state",
  "start-up": "start-up-repair",
  files: "file-rescue",
};

/** How far a medium serves a need of a computer; nearness is not in it. The smaller, the better. */
export const SERVES = { proven: 0, unproven: 1, not: 2 } as const;
export type Serves = (typeof SERVES)[keyof typeof SERVES];

/** The links that decide whether a medium fits, in their order, once it is there. */
const ON_THE_WAY = ["starts", "sees", "restores"] as const;
export type FitLink = (typeof ON_THE_WAY)[number] | "atHand";

/** What no need asks for is not judged. */
const ASKED: ReadonlySet<OutcomeKind> = new Set(NEEDS.flatMap((need) => NEED_OUTCOMES[need]));

interface Column {
  /** Position of its medium in what was given. */
  medium: number;
  kind: OutcomeKind;
}

/**
 * Which of some media serve which needs of which computers, as if each medium had one purpose at a time: a chain shows
 * only the best that a medium gives, and a policy asks for each.
 */
export class Serving {
  private readonly matrix: FleetMatrix;
  private readonly columns: Column[] = [];
  private readonly byNeed: Record<Need, number[]>;
  /** ISO days of the newest usable image of each computer that has one. */
  private readonly newestImages = new Map<string, string>();
  /** ISO day. */
  readonly today: string;

  constructor(
    world: World,
    readonly media: readonly FleetMedium[],
  ) {
    const single: FleetMedium[] = [];
    for (const [at, medium] of media.entries())
      for (const kind of new Set(medium.releases.flatMap((release) => outcomesOf(release)))) {
        if (!ASKED.has(kind)) continue;
        const releases = medium.releases.filter((release) => outcomesOf(release).includes(kind));
        this.columns.push({ medium: at, kind });
        single.push({ ...medium, releases: releases.map((release) => forOnly(kind, release)) });
      }
    this.matrix = new FleetMatrix({ ...world, media: single });
    this.today = world.today;
    // Of what is gone, damaged, or builds on such, nothing comes back.
    const lineages = lineagesOf(world.images.map((image) => ({ ...image, isThere: image.lost !== true })));
    for (const { id, computer, takenAt } of world.images) {
      const on = takenAt.slice(0, 10);
      if (lineages.get(id)?.state !== "unusable" && on > (this.newestImages.get(computer) ?? ""))
        this.newestImages.set(computer, on);
    }
    this.byNeed = Object.fromEntries(
      NEEDS.map((need) => [
        need,
        [...this.columns.keys()].filter((at) => NEED_OUTCOMES[need].includes(this.columns[at]?.kind as OutcomeKind)),
      ]),
    ) as Record<Need, number[]>;
  }

  /** The day of a computer's newest image; null: it has none. */
  imageOn(computer: number): string | null {
    const whose = this.matrix.computers[computer];
    return this.newestImages.get(whose?.imagesOf ?? whose?.tag ?? "") ?? null;
  }

  /**
   * For each medium, how far it serves a need of a computer, by the computer's place in the world; without images as if
   * nothing could be put back of one.
   */
  row(computer: number, need: Need, changesAllowed: boolean, withImages = true): Uint8Array {
    const serves = new Uint8Array(this.media.length).fill(SERVES.not);
    const cells = this.matrix.row(computer);
    const most = changesAllowed ? 1 : 0;
    for (const at of this.byNeed[need]) {
      const { medium, kind } = itemAt(this.columns, at);
      if (kind === "image" && !withImages) continue;
      const cell = itemAt(cells, at);
      const isFit =
        linkCode(cell, "starts") <= most && linkCode(cell, "sees") <= most && linkCode(cell, "restores") <= most;
      // Retired or distrusted.
      if (!isFit || linkCode(cell, "atHand") === BROKEN) continue;
      const servesByCell = linkCode(cell, "proven") === 0 ? SERVES.proven : SERVES.unproven;
      serves[medium] = Math.min(itemAt(serves, medium), servesByCell);
    }
    return serves;
  }

  /**
   * At which link the medium fails that comes furthest towards a need of a computer: at hand where one would do if it
   * were there; what gives nothing of the kind at all fails at giving back.
   */
  failsAt(computer: number, need: Need, changesAllowed: boolean): FitLink {
    const cells = this.matrix.row(computer);
    const most = changesAllowed ? 1 : 0;
    let furthest = -1;
    for (const at of this.byNeed[need]) {
      const cell = itemAt(cells, at);
      if (linkCode(cell, "atHand") === BROKEN) continue;
      const failing = ON_THE_WAY.findIndex((name) => linkCode(cell, name) > most);
      if (failing < 0) return "atHand";
      furthest = Math.max(furthest, failing);
    }
    return ON_THE_WAY[furthest] ?? "restores";
  }

  /** Judges computers anew that are others now; those that are the same object stay as they are. */
  refresh(computers: readonly World["computers"][number][]): void {
    for (const [row, computer] of computers.entries())
      if (this.matrix.computers[row] !== computer) this.matrix.replaceComputer(row, computer);
  }

  /** Computers with the same are served the same; null where one has images or drills of its own. */
  classOf(computer: number): string | null {
    return this.matrix.classOfRow(computer);
  }
}

/** A release as if it were made for one outcome alone. Told apart by its name: what is judged is kept by that. */
function forOnly(kind: OutcomeKind, release: ReleasePart): ReleasePart {
  const purpose = PURPOSES[kind];
  return {
    ...release,
    name: `${release.name}\u0000${kind}`,
    facts: { ...release.facts, purposes: purpose ? [purpose] : [] },
  };
}

/** A medium as it would be: freshly made, whole, and at hand. */
export function freshMedium(
  views: FleetMedium["views"],
  as: FleetMedium["as"],
  releases: readonly ReleasePart[],
  today: string,
): FleetMedium {
  const part: MediumPart = {
    ...{ tag: "a new medium", site: null, lentTo: null, retired: false, condition: "good", writtenOn: today },
    ...{ verified: { on: today, whole: true }, copies: [] },
  };
  return { part, as, views, fault: null, releases: [...releases] };
}
