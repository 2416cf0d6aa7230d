import { inArray } from "drizzle-orm";
import type { Provenance } from "@/core/computer/facts/merge";
import type { Facts } from "@/core/computer/facts/schema";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { BatchId, ComputerId, SiteId } from "../db/ids";
import { insertRows } from "../db/insert-rows";
import { computerFacts, computers } from "../db/schema";
import { derivedColumns, writeProjections } from "./derived";
import { type Action, recordEvents } from "./events";
import { storeProfiles } from "./fact-profiles";
import { packed, storeLists } from "./list-store";

/** A computer as it is to be, with what the event log says of it. */
export interface ComputerWrite {
  /** Null: a new one. */
  id: ComputerId | null;
  /** The version after the write. */
  version: number;
  tag: string;
  name: string | null;
  siteId: SiteId | null;
  note: string | null;
  retiredAt: Date | null;
  facts: Facts;
  provenance: Provenance;
  /** Disks and Secure Boot lists are as they were: what follows from them is not written again. */
  sameProjections?: boolean;
  event: {
    action: Action;
    before: Record<string, unknown> | null;
    after: Record<string, unknown> | null;
    note: string | null;
  };
}

const COLUMNS = [
  "tag",
  "name",
  "siteId",
  "note",
  "retiredAt",
  "version",
  "updatedAt",
  "make",
  "model",
  "serial",
  "form",
  "firmwareKind",
  "firmwareArch",
  "firmwareVersion",
  "legacyMode",
  "secureBoot",
  "systemName",
  "systemVersion",
  "memoryBytes",
  "diskBytes",
  "missing",
  "factsAt",
  "search",
  "derived",
  "startProfile",
  "chainProfile",
] as const;

/** At most so many rows go in one statement. */
export const WRITE_CHUNK = 250;

/**
 * Writes computers, facts, projections and events, in the caller's transaction, which holds the rows that are there.
 * Gives the ids by tag. At most `WRITE_CHUNK` of them at once.
 */
export async function writeComputers(
  tx: Queries,
  context: Context,
  writes: ComputerWrite[],
  batchId: BatchId | null = null,
): Promise<Map<string, number>> {
  if (writes.length === 0) return new Map();
  const now = context.now();
  const rowOf = ({ facts, provenance, event: _event, sameProjections: _same, id, ...own }: ComputerWrite) => ({
    ...(id === null ? {} : { id }),
    ...own,
    ...derivedColumns({ tag: own.tag, name: own.name, facts, provenance }),
    createdAt: now,
    updatedAt: now,
  });
  // New ones must not fall upon a row that is there: a tag that is taken is the caller's problem, not a change.
  const [added, changed] = [writes.filter((each) => each.id === null), writes.filter((each) => each.id !== null)];
  await insertRows(tx, computers, added.map(rowOf));
  await insertRows(tx, computers, changed.map(rowOf), COLUMNS);
  const tags = added.map((write) => write.tag);
  const rows =
    tags.length === 0
      ? []
      : await tx.select({ id: computers.id, tag: computers.tag }).from(computers).where(inArray(computers.tag, tags));
  const idOf = new Map([...rows, ...changed].map((row) => [row.tag, row.id as ComputerId]));
  const placed = writes.map((write) => ({ ...write, id: write.id ?? (idOf.get(write.tag) as ComputerId) }));
  const lists = new Map<string, string>();
  const stored = placed.map(({ id, facts, provenance }) => ({
    computerId: id,
    facts: packed(facts, lists),
    provenance,
  }));
  const logged = placed.map(({ event: { before, after, ...own } }) => ({
    ...own,
    before: before && packed(before, lists),
    after: after && packed(after, lists),
  }));
  await storeLists(tx, lists);
  await insertRows(tx, computerFacts, stored, ["facts", "provenance"]);
  // Before anybody sees a row that names them; also where disks and signers stay as they were.
  await storeProfiles(tx, placed);
  await writeProjections(
    tx,
    placed.filter((write) => !write.sameProjections),
  );
  await recordEvents(
    tx,
    context,
    placed.map(({ id, tag, version }, index) => ({
      at: now,
      personId: context.person.id,
      personName: context.person.name,
      entity: "computer" as const,
      entityId: id,
      entityTag: tag,
      entityVersion: version,
      batchId,
      ...(logged[index] as (typeof logged)[number]),
    })),
  );
  return idOf;
}
