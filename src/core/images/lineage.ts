/** One stored point in time of a computer, as its lineage sees it. */
export interface StoredPoint {
  id: string;
  computer: string;
  /** ISO 8601. */
  takenAt: string;
  kind: "full" | "incremental" | "differential";
  /** The image that it builds on; null for a full one. */
  parent: string | null;
  verified: { on: string; whole: boolean } | null;
  /** Whether a copy of it is known to be somewhere. */
  isThere: boolean;
}

/** Why a point in time cannot be gone back to, or not for certain. */
export type LineageProblem =
  | { code: "parent-unknown"; part: string }
  | { code: "part-missing"; part: string }
  | { code: "part-damaged"; part: string; on: string }
  | { code: "part-unverified"; part: string }
  | { code: "circle"; part: string }
  | { code: "parent-younger"; part: string; parent: string }
  | { code: "other-computer"; part: string; computer: string };

export interface Lineage {
  /** What putting this point back needs, itself first, back to the full image. */
  parts: string[];
  /** `usable`: all parts are there and verified. `unsure`: a part was never verified. `unusable`: a part fails. */
  state: "usable" | "unsure" | "unusable";
  problems: LineageProblem[];
}

/** The lineage of every point. A part that fails makes every point that builds on it fail. Common practice. */
export function lineagesOf(points: readonly StoredPoint[]): Map<string, Lineage> {
  const byId = new Map(points.map((point) => [point.id, point]));
  return new Map(points.map((point) => [point.id, lineageOf(point, byId)]));
}

function lineageOf(point: StoredPoint, byId: ReadonlyMap<string, StoredPoint>): Lineage {
  const parts: string[] = [];
  const problems: LineageProblem[] = [];
  for (let step: StoredPoint = point; ; ) {
    parts.push(step.id);
    if (!step.isThere) problems.push({ code: "part-missing", part: step.id });
    if (step.verified === null) problems.push({ code: "part-unverified", part: step.id });
    else if (!step.verified.whole) problems.push({ code: "part-damaged", part: step.id, on: step.verified.on });
    if (step.computer !== point.computer)
      problems.push({ code: "other-computer", part: step.id, computer: step.computer });
    if (step.kind === "full") break;
    const parent = step.parent === null ? undefined : byId.get(step.parent);
    if (!parent) {
      problems.push({ code: "parent-unknown", part: step.id });
      break;
    }
    if (parts.includes(parent.id)) {
      problems.push({ code: "circle", part: step.id });
      break;
    }
    if (parent.takenAt > step.takenAt) problems.push({ code: "parent-younger", part: step.id, parent: parent.id });
    step = parent;
  }
  const isUnsure = problems.length > 0 && problems.every(({ code }) => code === "part-unverified");
  return { parts, problems, state: problems.length === 0 ? "usable" : isUnsure ? "unsure" : "unusable" };
}

/** What builds on each point, at once or by way of others. */
export function dependentsOf(
  points: readonly StoredPoint[],
  lineages: ReadonlyMap<string, Lineage>,
): Map<string, string[]> {
  const found = new Map<string, string[]>(points.map(({ id }) => [id, []]));
  for (const { id } of points) for (const part of lineages.get(id)?.parts.slice(1) ?? []) found.get(part)?.push(id);
  return found;
}
