import { and, asc, eq, gt } from "drizzle-orm";
import type { ComputerRecord } from "@/core/computer/exchange/columns";
import { writeLine } from "@/core/computer/exchange/lines";
import { writeTable } from "@/core/computer/exchange/table";
import type { Facts } from "@/core/computer/facts/schema";
import { type ComputerFilter, whereOf } from "../computers/computer-list";
import type { Context } from "../context";
import { computerFacts, computers } from "../db/schema";
import { factsOfStored } from "../inventory/list-store";
import { siteMaps } from "./site-maps";

export const EXPORT_FORMS = ["csv", "jsonl"] as const;
const EXPORT_CHUNK = 500;

/** The computers of a filter as text, part by part, in the order of their ids. */
export async function* exportComputers(
  context: Context,
  form: (typeof EXPORT_FORMS)[number],
  filter: ComputerFilter | "all",
): AsyncGenerator<string> {
  const where = filter === "all" ? undefined : await whereOf(context, filter);
  const { names } = await siteMaps(context.db);
  if (form === "csv") yield writeTable([]);
  for (let after = 0; ; ) {
    const rows = await context.db
      .select({ row: computers, facts: computerFacts.facts, provenance: computerFacts.provenance })
      .from(computers)
      .innerJoin(computerFacts, eq(computerFacts.computerId, computers.id))
      .where(and(where, gt(computers.id, after)))
      .orderBy(asc(computers.id))
      .limit(EXPORT_CHUNK);
    const last = rows.at(-1);
    if (!last) return;
    const whole = await factsOfStored(
      context.db,
      rows.map((each) => each.facts),
    );
    const records = rows.map(
      ({ row, provenance }, index): ComputerRecord => ({
        tag: row.tag,
        name: row.name,
        site: row.siteId === null ? null : (names.get(row.siteId) ?? null),
        note: row.note,
        retired: row.retiredAt?.toISOString() ?? null,
        facts: whole[index] as Facts,
        provenance,
      }),
    );
    yield form === "csv" ? writeTable(records, false) : records.map(writeLine).join("");
    after = last.row.id;
  }
}
