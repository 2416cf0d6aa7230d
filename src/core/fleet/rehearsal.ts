import { z } from "zod";
import type { Facts } from "../computer/facts/schema";
import { systemDisk } from "../computer/needs/system-disk";
import { readSignatureLists } from "../formats/efi-signature-list";
import { sameName, sameRelease } from "../judging/links/versions";
import { LINK_NAMES, type LinkName, type Verdict } from "../judging/model/schema";
import { fromBase64, toBase64 } from "../kernel/base64";
import { itemAt } from "../kernel/item-at";
import { breakAt, type Cell, linkCode, weakestVerdict } from "./cell";
import { FleetMatrix } from "./matrix";
import { SurestChains } from "./surest";
import type { World } from "./world";

const text = (max = 200) => z.string().trim().min(1).max(max);
/** EFI_SIGNATURE_LIST structures, base64. */
const lists = z
  .string()
  .max(4_000_000)
  .refine((value) => {
    const bytes = fromBase64(value);
    return bytes !== null && bytes.length > 0 && readSignatureLists(bytes).fault === null;
  }, "These are no signature lists that can be read to their end.");

/** A change to the world that is rehearsed before it happens. */
export const changeSchema = z.discriminatedUnion("kind", [
  /** A revocation list is put on every computer whose own list is known. `file`: its name, for the words. */
  z.object({ kind: z.literal("revoke"), file: text(), lists }),
  /** A certificate or digest is allowed on every computer whose own list is known. */
  z.object({ kind: z.literal("allow"), file: text(), lists }),
  z.object({ kind: z.literal("secure-boot"), to: z.enum(["on", "off"]), site: text(120).nullable() }),
  z.object({ kind: z.literal("retire-release"), release: text() }),
  z.object({ kind: z.literal("update-system"), system: text(), from: text(80).nullable(), to: text(80) }),
  z.object({ kind: z.literal("lose-site"), site: text(120) }),
  z.object({ kind: z.literal("lose-medium"), medium: text(60) }),
  /** The disk of the system is replaced by one of this size, on all computers of a model. */
  z.object({
    kind: z.literal("replace-disks"),
    model: text(),
    bytes: z.number().int().positive().max(Number.MAX_SAFE_INTEGER),
    sectorBytes: z.union([z.literal(512), z.literal(4096)]),
  }),
]);
export type WorldChange = z.infer<typeof changeSchema>;

/** The world as it would be. Nothing of the world as it is is changed. */
export function applied(world: World, change: WorldChange): World {
  const computers = (edit: (facts: Facts, site: string | null) => Facts): World => {
    const shared = new Map<string, Map<Facts, Facts>>();
    return {
      ...world,
      computers: world.computers.map((computer) => {
        // What computers share stays shared, so that they are judged once afterwards, too.
        const here = shared.get(computer.site ?? "") ?? new Map<Facts, Facts>();
        shared.set(computer.site ?? "", here);
        const facts = here.get(computer.facts) ?? edit(computer.facts, computer.site);
        here.set(computer.facts, facts);
        return facts === computer.facts ? computer : { ...computer, facts };
      }),
    };
  };
  switch (change.kind) {
    case "revoke":
    case "allow": {
      const list = change.kind === "revoke" ? "dbx" : "db";
      const longer = memoised((own: string) => appended(own, change.lists));
      return computers((facts) => {
        const lists = facts.firmware.secureBoot;
        const before = lists?.[list] ?? null;
        // A list that is not known cannot be made longer; what it refuses stays unknown.
        if (!lists || before === null) return facts;
        return withSecureBoot(facts, { ...lists, [list]: longer(before) });
      });
    }
    case "secure-boot":
      return computers((facts, site) => {
        const lists = facts.firmware.secureBoot;
        // Secure Boot is no question of a BIOS, nor of UEFI firmware that starts as one.
        if (facts.firmware.kind !== "uefi" || facts.firmware.legacyMode === "on") return facts;
        if (change.site !== null && site !== change.site) return facts;
        if (!lists || lists.state === "absent" || lists.state === change.to) return facts;
        return withSecureBoot(facts, { ...lists, state: change.to });
      });
    case "retire-release":
      return {
        ...world,
        media: world.media.map((medium) => ({
          ...medium,
          part: { ...medium.part, retired: medium.part.retired || carriesOnly(medium.releases, change.release) },
          releases: medium.releases.filter((release) => release.name !== change.release),
        })),
        releases: world.releases.filter(({ part }) => part.name !== change.release),
      };
    case "update-system":
      return computers((facts) => ({
        ...facts,
        systems:
          facts.systems?.map((system) => {
            const isMeant =
              sameName(system.name, change.system) &&
              (change.from === null || (system.version !== null && sameRelease(system.version, change.from)));
            return isMeant ? { ...system, version: change.to, build: null } : system;
          }) ?? null,
      }));
    case "lose-site":
      return {
        ...world,
        media: world.media.map((medium) =>
          // What is lent away is not at the site that is lost.
          medium.part.site === change.site && medium.part.lentTo === null
            ? { ...medium, part: { ...medium.part, retired: true } }
            : medium,
        ),
      };
    case "lose-medium":
      return {
        ...world,
        media: world.media.map((medium) =>
          medium.part.tag === change.medium ? { ...medium, part: { ...medium.part, retired: true } } : medium,
        ),
      };
    case "replace-disks":
      return computers((facts) => {
        if (!facts.computer.model || !sameName(facts.computer.model, change.model)) return facts;
        // The disk that the system runs from; where that is not known, nothing is replaced by guess.
        const target = systemDisk(facts);
        const disks = facts.disks?.map((disk) =>
          disk === target ? { ...disk, bytes: change.bytes, sectorBytes: change.sectorBytes } : disk,
        );
        return { ...facts, disks: disks ?? null };
      });
  }
}

function carriesOnly(releases: { name: string }[], release: string): boolean {
  return releases.length > 0 && releases.every((each) => each.name === release);
}

function withSecureBoot(facts: Facts, secureBoot: NonNullable<Facts["firmware"]["secureBoot"]>): Facts {
  return { ...facts, firmware: { ...facts.firmware, secureBoot } };
}

/** Lists behind lists: both are read one after the other (UEFI 2.10, 32.4.1). */
function appended(own: string, more: string): string {
  const [before, after] = [fromBase64(own), fromBase64(more)];
  if (!before || !after) return own;
  const bytes = new Uint8Array(before.length + after.length);
  bytes.set(before);
  bytes.set(after, before.length);
  return toBase64(bytes);
}

function memoised(make: (key: string) => string): (key: string) => string {
  const kept = new Map<string, string>();
  return (key) => {
    const value = kept.get(key) ?? make(key);
    kept.set(key, value);
    return value;
  };
}

/** What a change does to one computer. */
export interface ComputerEffect {
  tag: string;
  site: string | null;
  /** Its surest chain before and after: the weakest link's verdict, and which link that is. */
  before: { verdict: Verdict; at: LinkName | null };
  after: { verdict: Verdict; at: LinkName | null };
  /** It has no route left that is not broken, and had one. */
  lost: boolean;
  /** Tags of media of whose best chain some link gets worse; and of those of which some get better, and none worse. */
  worse: string[];
  better: string[];
}

export interface Rehearsal {
  computers: number;
  /** Computers that something changes for; those that lose their last route first, then by how much they lose. */
  effects: ComputerEffect[];
  /** Chains that get worse, those of them that break, and those that get better, all computers together. */
  worse: number;
  broken: number;
  better: number;
}

/** What would become of the fleet: every cell judged before and after. Pure; the inventory stays as it is. */
export function rehearse(before: FleetMatrix, world: World, change: WorldChange): Rehearsal {
  const after = new FleetMatrix(applied(world, change));
  const surely = { before: new SurestChains(before), after: new SurestChains(after) };
  const effects: ComputerEffect[] = [];
  let broken = 0;
  for (const [row, { tag, site }] of world.computers.entries()) {
    const [was, is] = [before.row(row), after.row(row)];
    const worse: string[] = [];
    const better: string[] = [];
    for (const [column, { part }] of world.media.entries()) {
      const change = changeOf(itemAt(was, column), itemAt(is, column));
      if (change === "worse") worse.push(part.tag);
      if (change === "better") better.push(part.tag);
      if (weakestVerdict(itemAt(was, column)) !== "broken" && weakestVerdict(itemAt(is, column)) === "broken") broken++;
    }
    const [best, next] = [bestOf(surely.before, row), bestOf(surely.after, row)];
    // Same object, same standing: cells are shared between worlds where nothing they are judged from differs.
    if (worse.length + better.length === 0 && best.cell === next.cell) continue;
    const lost = best.verdict !== "broken" && next.verdict === "broken";
    effects.push({ tag, site, before: strip(best), after: strip(next), lost, worse, better });
  }
  const worth = (effect: ComputerEffect) => (effect.lost ? 1e6 : 0) + effect.worse.length * 10 - effect.better.length;
  effects.sort((a, b) => worth(b) - worth(a) || (a.tag < b.tag ? -1 : 1));
  const sum = (of: (effect: ComputerEffect) => number) => effects.reduce((total, effect) => total + of(effect), 0);
  return {
    computers: world.computers.length,
    effects,
    worse: sum(({ worse }) => worse.length),
    broken,
    better: sum(({ better }) => better.length),
  };
}

/** Whether a chain changes: any link that is worse makes it worse. */
function changeOf(was: Cell, is: Cell): "worse" | "better" | null {
  const steps = LINK_NAMES.map((link) => linkCode(is, link) - linkCode(was, link));
  if (steps.some((step) => step > 0)) return "worse";
  return steps.some((step) => step < 0) ? "better" : null;
}

interface BestCell {
  cell: Cell | null;
  verdict: Verdict;
  at: LinkName | null;
}

function bestOf(surest: SurestChains, row: number): BestCell {
  const standing = surest.standing(row);
  if (!standing) return { cell: null, verdict: "broken", at: "atHand" };
  const { cell, verdict, isOwn } = standing;
  return { cell, verdict, at: isOwn ? breakAt(cell) : null };
}

function strip({ verdict, at }: BestCell): { verdict: Verdict; at: LinkName | null } {
  return { verdict, at };
}
