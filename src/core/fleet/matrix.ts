import { startProfile } from "../computer/facts/profile";
import { chooseDisk } from "../computer/needs/system-disk";
import { judgeAtHand } from "../judging/links/at-hand";
import { judgeProven } from "../judging/links/proven";
import { linkOf, type Ruling } from "../judging/links/ruling";
import { judgeSees } from "../judging/links/sees";
import { plainName } from "../judging/links/versions";
import { switchedMode } from "../judging/model/changes";
import { loadsReached } from "../judging/model/loads";
import type { ComputerPart, DrillPart, MediumPart, PolicyPart, ReleasePart } from "../judging/model/parts";
import type { Link } from "../judging/model/schema";
import {
  type ComesUp,
  type CommonLinks,
  compareRoutes,
  type Give,
  givesOf,
  NOTHING_RECORDED,
  type RankedRoute,
  rankRoutes,
  type Surroundings,
  weakestOf,
} from "../judging/routes/routes";
import { itemAt } from "../kernel/item-at";
import type { Attachment } from "../medium/inspection/schema";
import { type Cell, hasBroken, linkBits, outcomeBits, surestBits, verdictCode, weakestCode } from "./cell";
import { judgePair, startOf, surroundingsOf } from "./judge";
import type { FleetMedium, World } from "./world";

/** Numbers what is alike. */
class Classes<T> {
  private readonly numbers = new Map<string, number>();
  readonly members: T[] = [];

  /** The number of a class; `member` stands for it where it is new. */
  of(key: string, member: T): number {
    const number = this.numbers.get(key);
    if (number !== undefined) return number;
    this.numbers.set(key, this.members.length);
    return this.members.push(member) - 1;
  }
}

/** One value for each pair of a row class and a column class, worked out when it is first asked for. */
class PairTable<T> {
  private readonly rows: (T | undefined)[][] = [];
  constructor(private readonly judge: (row: number, column: number) => T) {}

  /** The values of a row as far as they were asked for one by one. */
  known(row: number): readonly (T | undefined)[] {
    this.rows[row] ??= [];
    return itemAt(this.rows, row);
  }

  at(row: number, column: number): T {
    this.rows[row] ??= [];
    const values = itemAt(this.rows, row);
    const value = values[column] ?? this.judge(row, column);
    values[column] = value;
    return value;
  }

  /** All values of a row, for the columns that are asked for. */
  row(row: number, columns: number): T[] {
    this.rows[row] ??= [];
    const values = itemAt(this.rows, row) as T[];
    for (let column = values.length; column < columns; column++) values[column] = this.judge(row, column);
    return values;
  }
}

/**
 * What a medium's releases give back best, in a cell's bits: where none of the links that are shared is broken, above
 * them where one is, and above both the code of the worse of Sees and Restores where that is best.
 */
type GiveBits = number;
const UNSOUND_SHIFT = 13;
const SUREST_GIVE_SHIFT = 26;

function givenBits(bits: GiveBits, common: number): number {
  const best = (hasBroken(common) ? bits >> UNSOUND_SHIFT : bits) & GIVE_MASK;
  return best | surestBits(Math.max(weakestCode(common), bits >> SUREST_GIVE_SHIFT));
}

/** Which classes a computer belongs to; two computers with all of them the same have the same row. */
interface RowClasses {
  start: number;
  give: number;
  site: number;
  proof: number;
  /** It has images or drills of its own: nobody else's row is the same. */
  own: boolean;
}

interface ColumnClasses {
  views: number;
  releases: number;
  place: number;
}

/** What the drills of a medium come to. */
interface ProvenColumn {
  /** For computers that none of its drills speaks of, by what is asked of them. */
  base: (policy: PolicyPart) => number;
  /** Models that its drills were held on; null where there are none. */
  models: Set<string> | null;
  /** By the class of computers, as far as they were asked for. */
  byClass: number[];
  judge: (computer: ComputerPart, policy: PolicyPart) => number;
}

const ROW_UNSET = -1;

/**
 * The chains of a whole fleet: a cell for each computer and medium, with the links of its best route. What is alike is
 * judged once: start profiles against what firmware makes of media, devices against drivers, sites against places.
 * The cells are those that `judgePair` and `rankRoutes` come to; `routes` tells a cell's reasons.
 */
export class FleetMatrix {
  readonly computers: ComputerPart[];
  readonly media: FleetMedium[];
  /** Another number after each change. */
  revision = 0;
  private cells: Uint16Array;
  private around: Surroundings;

  private readonly starts = new Classes<ComputerPart>();
  private readonly views = new Classes<FleetMedium>();
  private readonly devices = new Classes<ComputerPart>();
  private readonly gives = new Classes<ComputerPart>();
  private readonly sites = new Classes<Pick<ComputerPart, "site" | "tag">>();
  private readonly proofs = new Classes<{ computer: ComputerPart; policy: PolicyPart }>();
  private readonly places = new Classes<MediumPart>();
  private readonly releaseSets = new Classes<ReleasePart[]>();
  private readonly sets = new Classes<ReleasesUp>();
  private readonly columnOf: Map<string, number>;

  /** The Starts link in a cell's bits, and above them how it comes up: see `upBits`. */
  private readonly startBits: PairTable<number>;
  private readonly atHandBits: PairTable<number>;
  private readonly giveBits: PairTable<GiveBits>;
  private readonly seesKnown = new Map<string, Ruling>();

  private rowClasses: RowClasses[] = [];
  private readonly columnClasses: Record<keyof ColumnClasses, Uint32Array>;
  private proven: ProvenColumn[] = [];

  constructor(private world: World) {
    this.computers = [...world.computers];
    this.media = [...world.media];
    this.cells = new Uint16Array(this.computers.length * this.media.length);
    this.columnOf = new Map(this.media.map(({ part }, column) => [part.tag, column]));
    this.around = this.surroundings();
    this.startBits = new PairTable((start, views) => {
      const up = startOf(itemAt(this.starts.members, start), itemAt(this.views.members, views));
      return linkBits("starts", up.starts.verdict) | (upBits(up) << UP_SHIFT);
    });
    this.atHandBits = new PairTable((site, place) => {
      const computer = itemAt(this.sites.members, site);
      return linkBits("atHand", judgeAtHand(computer, itemAt(this.places.members, place)).verdict);
    });
    this.giveBits = new PairTable((give, set): GiveBits => {
      const { releases, up } = itemAt(this.sets.members, set);
      const shared = this.sharedGive.get(give);
      // Images matter only to what puts them back.
      if (shared !== undefined && !releases.some(({ facts }) => facts.purposes.includes("put-back-images")))
        return this.giveBits.at(shared, set);
      return this.bestGive(itemAt(this.gives.members, give), NO_MEDIUM, releases, up);
    });
    const columns = this.media.length;
    this.columnClasses = {
      views: new Uint32Array(columns),
      releases: new Uint32Array(columns),
      place: new Uint32Array(columns),
    };
    for (const medium of this.media) this.noteEntry(medium);
    for (const [column, medium] of this.media.entries()) this.classify(column, medium);
    this.proven = this.media.map((medium) => this.provenOf(medium));
    this.rowClasses = this.computers.map((computer) => this.classesOfComputer(computer));
    this.judgeRows();
  }

  /** A cell by the positions of its computer and medium. */
  cell(row: number, column: number): Cell {
    return itemAt(this.cells, row * this.media.length + column);
  }

  /** The cells of a computer, in the order of the media. Not to be written to. */
  row(row: number): Uint16Array {
    return this.cells.subarray(row * this.media.length, (row + 1) * this.media.length);
  }

  /** The routes behind a cell, best first, with their reasons. */
  routes(row: number, column: number): RankedRoute[] {
    const [computer, medium] = [this.computers[row], this.media[column]];
    return computer && medium ? rankRoutes(judgePair(this.around, computer, medium)) : [];
  }

  /** Judges one computer anew, as it is now; nothing else is touched. */
  replaceComputer(row: number, computer: ComputerPart): void {
    this.computers[row] = computer;
    this.judgeAgain(row, computer);
    this.revision++;
  }

  private judgeAgain(row: number, computer: ComputerPart): void {
    this.rowClasses[row] = this.classesOfComputer(computer);
    this.judgeRow(row);
  }

  /** Whether an image of a computer, or what one builds on, lies on a medium. */
  private isHeldOn({ tag }: ComputerPart, medium: string): boolean {
    return this.around
      .imagesOf(tag)
      .some((image) => image.places.some((place) => place.on === "medium" && place.tag === medium));
  }

  /** Judges one medium anew, as it is now; nothing else is touched. */
  replaceMedium(column: number, medium: FleetMedium): void {
    this.columnOf.delete(itemAt(this.media, column).part.tag);
    this.columnOf.set(medium.part.tag, column);
    this.media[column] = medium;
    if (this.noteEntry(medium))
      for (const [row, computer] of this.computers.entries())
        if (computer.tag === medium.part.onComputer) this.rowClasses[row] = this.classesOfComputer(computer);
    this.classify(column, medium);
    this.proven[column] = this.provenOf(medium);
    for (const [start, sets] of this.setsByStart) sets[column] = this.makeSet(start, column);
    for (const [proof, row] of this.provenRows.entries()) row[column] = this.provenOfClass(column, proof);
    for (let row = 0; row < this.computers.length; row++) this.judgeCell(row, column);
    // What it holds of a computer's images can be had, or not, as the medium can.
    for (const [row, computer] of this.computers.entries())
      if (this.isHeldOn(computer, medium.part.tag)) this.judgeAgain(row, computer);
    this.revision++;
  }

  /** A medium of which only what is told differs, such as its copies elsewhere: its verdicts stay. */
  retellMedium(column: number, medium: FleetMedium): void {
    this.media[column] = medium;
    this.revision++;
  }

  /** Two computers with the same have the same row; null where one has images or drills of its own. */
  classOfRow(row: number): string | null {
    const { own, ...classes } = itemAt(this.rowClasses, row);
    return own ? null : JSON.stringify(classes);
  }

  private surroundings(): Surroundings {
    const around = surroundingsOf(this.world);
    return {
      ...around,
      // As the media are now, not as they were when the matrix was built.
      mediumByTag: (tag) => this.media[this.columnOf.get(tag) ?? -1]?.part ?? null,
      sees: (computer, release, network, as) => this.sees(computer, release, { network, as }, around),
    };
  }

  /** The Sees link, judged once for all computers with the same devices and disks. */
  private sees(
    computer: ComputerPart,
    release: ReleasePart,
    { network, as }: { network: boolean; as: Attachment },
    around: Surroundings,
  ): Ruling {
    const key = `${this.deviceClassOf(computer)} ${network} ${as} ${release.name}`;
    const keptSees = this.seesKnown.get(key);
    if (keptSees) return keptSees;
    const carried = (modalias: string) => around.carried(modalias, release);
    const ruling = judgeSees({ computer, release, as, needsNetwork: network, carried });
    this.seesKnown.set(key, ruling);
    return ruling;
  }

  private readonly deviceClasses = new WeakMap<ComputerPart, number>();

  private deviceClassOf(computer: ComputerPart): number {
    const keptClass = this.deviceClasses.get(computer);
    if (keptClass !== undefined) return keptClass;
    const number = this.devices.of(devicesKey(computer), computer);
    this.deviceClasses.set(computer, number);
    return number;
  }

  private classesOfComputer(computer: ComputerPart): RowClasses {
    const { facts, tag, site } = computer;
    const hasImages = this.around.imagesOf(tag).length > 0;
    const devices = this.deviceClassOf(computer);
    // Nobody's tag: what a computer without images is given.
    const shared = this.gives.of(restoreKey(computer, devices), { ...computer, tag: "" });
    const { make, model } = facts.computer;
    const policy = this.policyFor(computer);
    const proof = JSON.stringify([make, model, facts.firmware.version, policy]);
    return {
      start: this.starts.of(startProfile(facts), computer),
      give: hasImages ? this.ownGive(computer, shared) : shared,
      site: this.siteOf(tag, site),
      // Nobody's tag: what drills of others of its model come to.
      proof: this.proofs.of(proof, { computer: { ...computer, tag: "" }, policy }),
      own: hasImages || this.drilled.has(tag),
    };
  }

  /** Who has a boot entry of its own is at a place of its own. */
  private siteOf(tag: string, site: string | null): number {
    const own = this.withEntry.has(tag) ? tag : "";
    return this.sites.of(JSON.stringify([site, own]), { site, tag: own });
  }

  /** Computers with a boot entry, by tag: as many times as they ever had one. */
  private readonly withEntry = new Set<string>();

  private noteEntry({ part: { kind, onComputer } }: FleetMedium): boolean {
    if (kind !== "entry" || !onComputer || this.withEntry.has(onComputer)) return false;
    this.withEntry.add(onComputer);
    return true;
  }

  /** What a computer with images would be given without them, by its class of its own. */
  private readonly sharedGive = new Map<number, number>();

  private ownGive(computer: ComputerPart, shared: number): number {
    const row = this.gives.members.push(computer) - 1;
    this.sharedGive.set(row, shared);
    return row;
  }

  private policyFor(computer: ComputerPart): PolicyPart {
    return this.world.policyFor?.(computer) ?? this.world.policy;
  }

  private classify(column: number, medium: FleetMedium): void {
    const { views, releases, place } = this.classesOfMedium(medium);
    this.columnClasses.views[column] = views;
    this.columnClasses.releases[column] = releases;
    this.columnClasses.place[column] = place;
    if (medium.releases.some(({ startedBy }) => startedBy != null)) this.split.add(column);
    else this.split.delete(column);
  }

  private classesOfMedium({ part, views, as, releases, fault }: FleetMedium): ColumnClasses {
    const { retired, condition, lentTo, site, kind } = part;
    const entry = kind === "entry" ? [part.onComputer ?? null] : null;
    const medium = { part, views, as, releases, fault };
    return {
      views: this.views.of(JSON.stringify([views?.key ?? null, as, entry !== null]), medium),
      releases: this.releaseSets.of(keyOfSet(releases), releases),
      place: this.places.of(JSON.stringify([retired, condition, lentTo !== null, site, kind === "file", entry]), part),
    };
  }

  /** Media that were tried on a computer, by its tag. */
  private get drilled(): Map<string, Set<string>> {
    if (this.drilledTags) return this.drilledTags;
    const tags = new Map<string, Set<string>>();
    for (const { computer, medium } of this.world.drills)
      tags.set(computer, (tags.get(computer) ?? new Set<string>()).add(medium));
    this.drilledTags = tags;
    return tags;
  }
  private drilledTags: Map<string, Set<string>> | null = null;

  private provenOf({ part }: FleetMedium): ProvenColumn {
    const { today } = this.world;
    const drills = this.around.drillsOf(part.tag);
    const judge = (computer: ComputerPart, own: DrillPart[], policy: PolicyPart) =>
      linkBits("proven", judgeProven({ computer, medium: part, drills: own, policy, today }).verdict);
    const [anybody] = this.computers;
    const numbers = new Map<PolicyPart, number>();
    return {
      base: (policy) => {
        const bits = numbers.get(policy) ?? (anybody ? judge(anybody, [], policy) : 0);
        numbers.set(policy, bits);
        return bits;
      },
      models: drills.length === 0 ? null : new Set(drills.map(({ make, model }) => modelKey(make, model))),
      byClass: [],
      judge: (computer, policy) => judge(computer, drills, policy),
    };
  }

  /** The best that some releases give back on a computer. */
  private bestGive(
    computer: ComputerPart,
    medium: Pick<MediumPart, "tag" | "site">,
    releases: ReleasePart[],
    up: ComesUp,
  ): GiveBits {
    const gives =
      releases.length === 0
        ? [NOTHING_RECORDED]
        : releases.flatMap((release) => givesOf(computer, medium, release, up, this.around));
    const best = (common: CommonLinks): number => {
      const routes = gives.map((give) => ({ give, route: { ...bareRoute(give, common), ...NO_PAIR } }));
      const top = routes.reduce((a, b) => (compareRoutes(a.route, b.route).order <= 0 ? a : b));
      return bitsOf(top.give);
    };
    const surest = Math.min(
      ...gives.map(({ sees, restores }) => Math.max(verdictCode(sees.verdict), verdictCode(restores.verdict))),
    );
    const above = surest << SUREST_GIVE_SHIFT;
    const [only] = gives;
    if (only && gives.length === 1) return above | bitsOf(only) | (bitsOf(only) << UNSOUND_SHIFT);
    return above | best(SOUND) | (best(UNSOUND) << UNSOUND_SHIFT);
  }

  private judgeRows(): void {
    const columns = this.media.length;
    const done = new Map<string, number>();
    for (let row = 0; row < this.computers.length; row++) {
      const key = this.classOfRow(row);
      const same = key === null ? ROW_UNSET : (done.get(key) ?? ROW_UNSET);
      if (same !== ROW_UNSET) {
        this.cells.copyWithin(row * columns, same * columns, (same + 1) * columns);
        continue;
      }
      this.judgeRow(row);
      if (key !== null) done.set(key, row);
    }
  }

  /** Media of whose releases not all come up on every computer. */
  private readonly split = new Set<number>();
  /** What comes up of all media, and how, on computers of a class. */
  private readonly setsByStart = new Map<number, Uint32Array>();
  private readonly setNumbers = new Map<number, number>();

  private setsOn(start: number): Uint32Array {
    const keptSets = this.setsByStart.get(start);
    if (keptSets) return keptSets;
    const sets = Uint32Array.from(this.media, (_, column) => this.makeSet(start, column));
    this.setsByStart.set(start, sets);
    return sets;
  }

  private setOf(start: number, column: number): number {
    return itemAt(this.setsOn(start), column);
  }

  /** What comes up of a medium's releases on computers of a class, and how: the number of the set. */
  private makeSet(start: number, column: number): number {
    const views = this.columnClasses.views[column] as number;
    const bits = this.startBits.at(start, views) >> UP_SHIFT;
    let number = this.columnClasses.releases[column] as number;
    if (this.split.has(column)) {
      const reached = this.releasesOn(itemAt(this.starts.members, start), column);
      number = this.releaseSets.of(keyOfSet(reached), reached);
    }
    const key = number * UPS + bits;
    const known = this.setNumbers.get(key);
    if (known !== undefined) return known;
    const set = this.sets.of(String(key), { releases: itemAt(this.releaseSets.members, number), up: upOf(bits) });
    this.setNumbers.set(key, set);
    return set;
  }

  private releasesOn(computer: ComputerPart, column: number): ReleasePart[] {
    const medium = itemAt(this.media, column);
    return loadsReached(medium.releases, computer.facts, startOf(computer, medium).starts);
  }

  private judgeRow(row: number): void {
    const { start, give, site, proof, own } = itemAt(this.rowClasses, row);
    const columns = this.media.length;
    const releases = this.setsOn(start);
    const starts = this.startBits.row(start, this.views.members.length);
    const places = this.atHandBits.row(site, this.places.members.length);
    // Of all the ways in which media come up anywhere a computer meets a few.
    const gives = this.giveBits.known(give);
    const { views, place } = this.columnClasses;
    const proven = this.provenRow(proof);
    for (let column = 0, at = row * columns; column < columns; column++, at++) {
      const common =
        ((starts[views[column] as number] as number) & UP_LESS) |
        (places[place[column] as number] as number) |
        (proven[column] as number);
      const set = releases[column] as number;
      this.cells[at] = common | givenBits(gives[set] ?? this.giveBits.at(give, set), common);
    }
    if (!own) return;
    this.judgeDrilled(row);
    this.judgeHolders(row);
  }

  /** Media that hold an image of this computer themselves give back more than others of their kind. */
  private judgeHolders(row: number): void {
    const computer = itemAt(this.computers, row);
    const holders = new Set(
      this.around
        .imagesOf(computer.tag)
        .flatMap((image) => image.places.flatMap((place) => (place.on === "medium" ? [place.tag] : []))),
    );
    if (holders.size === 0) return;
    for (const [column, medium] of this.media.entries())
      if (holders.has(medium.part.tag)) this.judgeHolder(row, column);
  }

  private judgeHolder(row: number, column: number): void {
    const medium = itemAt(this.media, column);
    const at = row * this.media.length + column;
    const common = itemAt(this.cells, at) & COMMON_MASK;
    const computer = itemAt(this.computers, row);
    const { releases, up } = itemAt(this.sets.members, this.setOf(itemAt(this.rowClasses, row).start, column));
    const bits = this.bestGive(computer, medium.part, releases, up);
    this.cells[at] = common | givenBits(bits, common);
  }

  private judgeCell(row: number, column: number): void {
    const { start, give, site, proof, own } = itemAt(this.rowClasses, row);
    const [views, releases, place] = [
      itemAt(this.columnClasses.views, column),
      this.setOf(start, column),
      itemAt(this.columnClasses.place, column),
    ];
    const starts = itemAt(this.startBits.row(start, views + 1), views) & UP_LESS;
    const atHand = itemAt(this.atHandBits.row(site, place + 1), place);
    const computer = itemAt(this.computers, row);
    const tag = itemAt(this.media, column).part.tag;
    const isDrilled = own && this.drilled.get(computer.tag)?.has(tag);
    const proven = isDrilled
      ? itemAt(this.proven, column).judge(computer, this.policyFor(computer))
      : this.provenOfClass(column, proof);
    const common = starts | atHand | proven;
    const bits = this.giveBits.at(give, releases);
    this.cells[row * this.media.length + column] = common | givenBits(bits, common);
    if (own && this.isHeldOn(computer, tag)) this.judgeHolder(row, column);
  }

  /** The Proven link of each class of computers on every medium, as far as it was asked for. */
  private readonly provenRows: Uint16Array[] = [];

  private provenRow(proof: number): Uint16Array {
    for (let at = this.provenRows.length; at <= proof; at++)
      this.provenRows.push(Uint16Array.from(this.media, (_, column) => this.provenOfClass(column, at)));
    return itemAt(this.provenRows, proof);
  }

  /** The Proven link of a class of computers on a medium, from drills of others of its model or from none. */
  private provenOfClass(column: number, proof: number): number {
    const provenColumn = itemAt(this.proven, column);
    for (let at = provenColumn.byClass.length; at <= proof; at++) {
      const { computer, policy } = itemAt(this.proofs.members, at);
      const { make, model } = computer.facts.computer;
      provenColumn.byClass.push(
        provenColumn.models?.has(modelKey(make, model))
          ? provenColumn.judge(computer, policy)
          : provenColumn.base(policy),
      );
    }
    return itemAt(provenColumn.byClass, proof);
  }

  /** A computer's own drills count before those of others. */
  private judgeDrilled(row: number): void {
    const computer = itemAt(this.computers, row);
    const tags = this.drilled.get(computer.tag);
    if (!tags) return;
    const policy = this.policyFor(computer);
    for (const [column, { part }] of this.media.entries())
      if (tags.has(part.tag)) this.setProven(row, column, itemAt(this.proven, column).judge(computer, policy));
  }

  private setProven(row: number, column: number, bits: number): void {
    const at = row * this.media.length + column;
    const others = itemAt(this.cells, at) & COMMON_MASK & ~linkBits("proven", "broken");
    const { give: own, start } = itemAt(this.rowClasses, row);
    const releases = this.setOf(start, column);
    this.cells[at] = others | bits | givenBits(this.giveBits.at(own, releases), others | bits);
  }
}

/** Releases that come up together, and how. */
interface ReleasesUp {
  releases: ReleasePart[];
  up: ComesUp;
}

/** How a medium comes up, as far as what it gives back depends on it: attached as a disc, and legacy mode switched on or off. */
const UP_SHIFT = 16;
const UP_LESS = (1 << UP_SHIFT) - 1;
const UPS = 8;
const UP = { optical: 1, legacyOn: 2, legacyOff: 4 } as const;

function upBits({ as, starts }: ComesUp): number {
  const switched = switchedMode(starts.changes);
  const legacy = switched === null ? 0 : switched === "bios" ? UP.legacyOn : UP.legacyOff;
  return (as === "optical" ? UP.optical : 0) | legacy;
}

function upOf(bits: number): ComesUp {
  const to = bits & UP.legacyOn ? "on" : bits & UP.legacyOff ? "off" : null;
  const changes = to === null ? [] : [{ setting: "legacyMode" as const, from: to === "on" ? "off" : "on", to }];
  return { as: bits & UP.optical ? "optical" : "usb", starts: { changes } };
}

function keyOfSet(releases: readonly ReleasePart[]): string {
  return JSON.stringify(releases.map(({ name }) => name));
}

/** Make and model without regard to how they are written. */
function modelKey(make: string | null, model: string | null): string {
  return `${plainName(make ?? "")}\n${plainName(model ?? "")}`;
}

/** A route of which only the verdicts count: no sentences are made. */
function bareRoute({ release, outcome, sees, restores, madeOn }: Give, common: CommonLinks) {
  const links = { ...common, sees: bareLink(sees), restores: bareLink(restores) };
  return { release, outcome, links, weakest: weakestOf(links), madeOn };
}

function bareLink({ verdict, changes }: Ruling): Link {
  return { verdict, basis: null, changes, reasons: [], trace: [] };
}

/** A medium that holds no image: what a computer's images come to on all media that do not hold them. */
const NO_MEDIUM = { tag: "", site: null };
const NO_PAIR = { computer: "", medium: "", as: "usb", distance: 0 } as const;

const linkWith = (verdict: "holds" | "broken"): Link => linkOf({ verdict, reasons: [], changes: [] });
const SOUND: CommonLinks = { atHand: linkWith("holds"), starts: linkWith("holds"), proven: linkWith("holds") };
const UNSOUND: CommonLinks = { ...SOUND, starts: linkWith("broken") };

const GIVE_MASK = (1 << UNSOUND_SHIFT) - 1;
const COMMON_MASK = linkBits("atHand", "broken") | linkBits("starts", "broken") | linkBits("proven", "broken");

function bitsOf({ sees, restores, outcome }: Give): number {
  return linkBits("sees", sees.verdict) | linkBits("restores", restores.verdict) | outcomeBits(outcome?.kind ?? null);
}

/** What the Sees link goes by, of a computer. */
function devicesKey({ facts }: ComputerPart): string {
  const { setupPassword, setupPasswordPlace } = facts.firmware;
  const isShut = setupPassword === "set" && setupPasswordPlace === null;
  const devices = facts.devices?.map(({ modalias, class: use }) => [modalias, use]) ?? null;
  const disks = facts.disks?.map(({ name, bus, removable }) => [name, bus, removable]) ?? null;
  const choice = chooseDisk(facts);
  const targets =
    choice.state === "one"
      ? [choice.disk.name]
      : choice.state === "several"
        ? choice.disks.map(({ name }) => name)
        : [];
  return JSON.stringify([devices, disks, targets, facts.ports?.optical ?? null, isShut]);
}

/** What Sees and Restores go by where there are no images. */
function restoreKey(computer: ComputerPart, devices: number): string {
  const { systems, disks, firmware } = computer.facts;
  // A maker's own state is of a model.
  const { make, model } = computer.facts.computer;
  const shapes = disks?.map(({ table, removable, bus, name, bytes, sectorBytes, blank, partitions }) => [
    ...[table, removable, bus, name, bytes, sectorBytes, blank],
    partitions.map(({ number, type, role, filesystem, encryption, keyPlace, active }) => [
      ...[number, type, role, filesystem, encryption, keyPlace !== null, active],
    ]),
  ]);
  return JSON.stringify([devices, systems, shapes ?? null, firmware.kind, firmware.legacyMode, make, model]);
}
