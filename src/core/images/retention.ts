import { dayOf } from "../kernel/days";
import { dependentsOf, lineagesOf, type StoredPoint } from "./lineage";

/** So many of the latest days, ISO weeks, months and years that have an image keep the last one of it. */
export interface RetentionPolicy {
  daily: number;
  weekly: number;
  monthly: number;
  yearly: number;
}

export interface RetainedPoint extends StoredPoint {
  /** Somebody said that it is to stay. */
  locked: boolean;
  storedBytes: number | null;
}

export type KeepReason =
  | { code: "daily" | "weekly" | "monthly" | "yearly"; period: string }
  | { code: "locked" }
  | { code: "last-verified" }
  | { code: "only-one" }
  | { code: "needed-by"; point: string };

export interface Rehearsal {
  keep: { id: string; because: KeepReason[] }[];
  /** Oldest first. */
  go: { id: string; storedBytes: number | null }[];
  /** What comes back; images whose size is not known count nothing. */
  bytesBack: number;
}

const PERIODS = ["daily", "weekly", "monthly", "yearly"] as const;

/**
 * What would go by a policy, and what would stay and why; computers are kept apart. A lineage is never broken, and the last
 * verified point of a computer that can be gone back to never goes. Nothing is deleted here.
 */
export function rehearseRetention(points: readonly RetainedPoint[], policy: RetentionPolicy): Rehearsal {
  const lineages = lineagesOf(points);
  const reasons = new Map<string, KeepReason[]>();
  const keep = (id: string, reason: KeepReason) => reasons.set(id, [...(reasons.get(id) ?? []), reason]);
  for (const ownPoints of grouped(points, ({ computer }) => computer).values()) {
    const latestFirst = [...ownPoints].sort((a, b) => b.takenAt.localeCompare(a.takenAt) || b.id.localeCompare(a.id));
    const stateOf = ({ id }: RetainedPoint) => lineages.get(id)?.state;
    // What can be gone back to stands for its period before what only may.
    const choice = [
      ...latestFirst.filter((point) => stateOf(point) === "usable"),
      ...latestFirst.filter((point) => stateOf(point) === "unsure"),
    ];
    for (const code of PERIODS) {
      const periods = [
        ...new Set(
          latestFirst.filter((point) => stateOf(point) !== "unusable").map((point) => periodOf(point.takenAt, code)),
        ),
      ];
      for (const period of periods.slice(0, policy[code])) {
        const last = choice.find((point) => periodOf(point.takenAt, code) === period);
        if (last) keep(last.id, { code, period });
      }
    }
    for (const { id, locked } of ownPoints) if (locked) keep(id, { code: "locked" });
    const [verified] = choice.filter((point) => stateOf(point) === "usable");
    if (verified) keep(verified.id, { code: "last-verified" });
    else if (choice[0]) keep(choice[0].id, { code: "only-one" });
  }
  for (const id of [...reasons.keys()])
    for (const part of lineages.get(id)?.parts.slice(1) ?? [])
      if (points.some((point) => point.id === part)) keep(part, { code: "needed-by", point: id });
  const inTime = [...points].sort((a, b) => a.takenAt.localeCompare(b.takenAt) || a.id.localeCompare(b.id));
  const go = inTime.filter(({ id }) => !reasons.has(id)).map(({ id, storedBytes }) => ({ id, storedBytes }));
  return {
    keep: inTime.flatMap(({ id }) => {
      const because = reasons.get(id);
      return because ? [{ id, because }] : [];
    }),
    go,
    bytesBack: go.reduce((sum, { storedBytes }) => sum + (storedBytes ?? 0), 0),
  };
}

/** The day, ISO week (ISO 8601), month or year that a time lies in, in UTC. */
export function periodOf(time: string, code: (typeof PERIODS)[number]): string {
  const day = dayOf(new Date(time));
  if (code === "daily") return day;
  if (code === "monthly") return day.slice(0, 7);
  if (code === "yearly") return day.slice(0, 4);
  // The week belongs to the year that its Thursday is in.
  const thursday = new Date(`${day}T00:00:00Z`);
  thursday.setUTCDate(thursday.getUTCDate() + 3 - ((thursday.getUTCDay() + 6) % 7));
  const year = thursday.getUTCFullYear();
  const week = Math.floor((thursday.getTime() - Date.UTC(year, 0, 1)) / (7 * 86_400_000)) + 1;
  return `${year}-W${String(week).padStart(2, "0")}`;
}

function grouped<T>(items: readonly T[], keyOf: (item: T) => string): Map<string, T[]> {
  const groups = new Map<string, T[]>();
  for (const item of items) groups.set(keyOf(item), [...(groups.get(keyOf(item)) ?? []), item]);
  return groups;
}

/** Whether deleting some points would leave others that build on them. */
export function breaksLineage(points: readonly StoredPoint[], gone: ReadonlySet<string>): string[] {
  const dependents = dependentsOf(points, lineagesOf(points));
  return [...gone].flatMap((id) => (dependents.get(id) ?? []).filter((other) => !gone.has(other)));
}
