import { and, asc, eq, gt, lt, lte, type SQL, sql } from "drizzle-orm";
import { getTableName, type Table } from "drizzle-orm/table";
import type { Database, Queries } from "./client";
import { HEARD } from "./insert-rows";
import { lastInsertId } from "./results";
import { revisionChanges, revisions } from "./schema";

const ONLY_ROW = 1;
/** Changes that are kept: whoever is further behind judges everything anew. */
const KEPT = 2_000;
/** More things than this in one act are not told one by one. */
const TOLD_MOST = 500;

/** Tables that tell how work goes, or are nobody's but their own: nothing that is told of the fleet follows from them. */
const QUIET: ReadonlySet<string> = new Set([
  ...[
    "jobs",
    "job_lines",
    "bench_jobs",
    "bench_lines",
    "bench_hosts",
    "device_looks",
    "imports",
    "import_parts",
    "store_scans",
  ],
  ...[
    "accounts",
    "account_sites",
    "sessions",
    "credentials",
    "verifications",
    "second_factors",
    "passkeys",
    "attempts",
  ],
  ...["audits", "organisations", "set_up_links", "tokens", "answered_once", "uploads"],
  ...["arrivals", "arrival_marks", "reported_changes"],
  ...["events", "batches", "saved_views", "feed_entries", "digests", "rehearsals", "fleet_answers"],
]);
/** Tables that chains go by as a whole: each of their rows may matter to every computer. */
const OF_ALL: ReadonlySet<string> = new Set([
  ...["sites", "kits", "releases", "policies", "calendars", "drills"],
  ...["system_images", "image_copies", "stores"],
]);
/** Tables whose rows are of one computer or medium, which the event log of the same act names. */
const OF_ONE = new Map([
  ["computers", "computer"],
  ["media", "medium"],
  ["loads", "medium"],
] as const);
/** Acts by which one of them comes or goes. */
const COMES_OR_GOES: ReadonlySet<string> = new Set(["added", "copied", "imported", "retired", "brought back"]);

interface Told {
  entity: string;
  entityId: number;
  action: string;
}

/** What an act has written so far. */
export class Written {
  private readonly tables = new Set<string>();
  private readonly ids = { computer: new Set<number>(), medium: new Set<number>() };
  private isWhole = false;

  table(name: string): void {
    this.tables.add(name);
    if (OF_ALL.has(name)) this.isWhole = true;
  }

  event({ entity, entityId, action }: Told): void {
    if (entity !== "computer" && entity !== "medium") return;
    this.ids[entity].add(entityId);
    if (COMES_OR_GOES.has(action)) this.isWhole = true;
  }

  /** Null where nothing was written that anybody goes by. */
  change(): { isWhole: boolean; computers: number[]; media: number[] } | null {
    if ([...this.tables].every((name) => QUIET.has(name))) return null;
    // What was written of a computer or a medium without saying which may be any.
    const isUntold = [...OF_ONE].some(([table, entity]) => this.tables.has(table) && this.ids[entity].size === 0);
    const { computer, medium } = this.ids;
    const isMany = computer.size + medium.size > TOLD_MOST;
    if (this.isWhole || isUntold || isMany) return { isWhole: true, computers: [], media: [] };
    return {
      isWhole: false,
      computers: this.tables.has("computers") ? [...computer] : [],
      media: this.tables.has("media") || this.tables.has("loads") ? [...medium] : [],
    };
  }
}

type Write = "insert" | "update" | "delete";
const isWrite = (name: string | symbol): name is Write => name === "insert" || name === "update" || name === "delete";

/** The same connection, which tells `written` of each table that is written to, and of what the event log is told. */
export function watched(db: Database, written: Written): Database {
  return new Proxy(db, {
    get(target, name) {
      const member: unknown = Reflect.get(target, name, target);
      if (typeof member !== "function") return member;
      if (!isWrite(name)) return member.bind(target);
      return (table: Table) => {
        const tableName = getTableName(table);
        written.table(tableName);
        const builder: unknown = Reflect.apply(member, target, [table]);
        return name === "insert" && tableName === "events" ? listening(builder as Inserting, written) : builder;
      };
    },
  });
}

interface Inserting {
  values: (rows: Told | Told[]) => unknown;
  [HEARD]?: (rows: Told[]) => void;
}

function listening(builder: Inserting, written: Written): Inserting {
  const values = builder.values.bind(builder);
  const hear = (rows: Told | Told[]) => {
    for (const row of [rows].flat()) written.event(row);
  };
  builder.values = (rows) => {
    hear(rows);
    return values(rows);
  };
  builder[HEARD] = hear;
  return builder;
}

/**
 * Raises the revision as the last write of an act: its row is held from here to the end of the transaction, so that
 * revisions come in the order in which acts are kept.
 */
export async function raiseRevision(tx: Queries, written: Written): Promise<void> {
  const change = written.change();
  if (!change) return;
  const next = sql`LAST_INSERT_ID(${revisions.revision} + 1)`;
  const raised = await tx
    .insert(revisions)
    .values({ id: ONLY_ROW, revision: 1 })
    .onDuplicateKeyUpdate({ set: { revision: next } });
  // The first act of all made the row: nothing was raised.
  const revision = lastInsertId(raised) || 1;
  await tx.insert(revisionChanges).values({ revision, ...change });
  if (revision % KEPT === 0) await tx.delete(revisionChanges).where(lt(revisionChanges.revision, revision - KEPT));
}

/** The revision of what a connection reads; 0 where no act was ever kept. */
export async function revisionOf(queries: Queries): Promise<number> {
  const [row] = await queries
    .select({ revision: revisions.revision })
    .from(revisions)
    .where(eq(revisions.id, ONLY_ROW))
    .limit(1);
  return row?.revision ?? 0;
}

/** The computers and media that changed after one revision, up to another one; null where everything is to be judged anew. */
export async function changesBetween(
  queries: Queries,
  after: number,
  until: number,
): Promise<{ computers: number[]; media: number[] } | null> {
  const between: SQL | undefined = and(gt(revisionChanges.revision, after), lte(revisionChanges.revision, until));
  const rows = await queries
    .select()
    .from(revisionChanges)
    .where(between)
    .orderBy(asc(revisionChanges.revision))
    .limit(KEPT + 1);
  if (rows.length !== until - after || rows.some(({ isWhole }) => isWhole)) return null;
  return {
    computers: [...new Set(rows.flatMap(({ computers }) => computers))],
    media: [...new Set(rows.flatMap(({ media }) => media))],
  };
}
