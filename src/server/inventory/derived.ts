import { and, eq, gt, inArray, lt, sql } from "drizzle-orm";
import { LRUCache } from "lru-cache";
import type { Provenance } from "@/core/computer/facts/merge";
import { missingMask } from "@/core/computer/facts/missing";
import type { Facts } from "@/core/computer/facts/schema";
import { systemDisk } from "@/core/computer/needs/system-disk";
import { summariseSecureBoot } from "@/core/computer/secure-boot/lists";
import { act } from "../act";
import { ownContext } from "../context";
import type { Database, Queries } from "../db/client";
import type { ComputerId } from "../db/ids";
import { insertRows } from "../db/insert-rows";
import { computerFacts, computerIdentities, computerSigners, computers, disks, signers } from "../db/schema";
import { ok } from "../problems";
import { profileKeys, storeProfiles } from "./fact-profiles";
import { factsOfStored } from "./list-store";

/** Raised when a column is derived otherwise than before; rows of an older one are derived anew at the next start. */
export const DERIVED_VERSION = 5;

const SEARCH_MAX = 1000;

/** Small letters without marks, as the search column holds them and as what is looked for is written. */
export function searchText(text: string): string {
  return text.normalize("NFD").replace(/\p{M}/gu, "").toLowerCase();
}

export interface DerivedFrom {
  tag: string;
  name: string | null;
  facts: Facts;
  provenance: Provenance;
}

/** The columns of a computer's narrow row that follow from its facts. */
export function derivedColumns({ tag, name, facts, provenance }: DerivedFrom) {
  const { computer, firmware } = facts;
  const internal = (facts.disks ?? []).filter((disk) => disk.removable !== true);
  const system = facts.systems?.[0];
  const youngest =
    provenance.sources
      .map((source) => source.at)
      .sort()
      .at(-1) ?? "";
  return {
    make: computer.make,
    model: computer.model,
    serial: computer.serial,
    form: computer.form,
    firmwareKind: firmware.kind,
    firmwareArch: firmware.arch,
    firmwareVersion: firmware.version,
    legacyMode: firmware.legacyMode,
    secureBoot: firmware.secureBoot?.state ?? null,
    systemName: system?.name ?? null,
    systemVersion: system?.version ?? null,
    memoryBytes: facts.memoryBytes,
    diskBytes: systemDisk(facts)?.bytes ?? null,
    missing: missingMask(facts),
    factsAt: youngest === "" || Number.isNaN(Date.parse(youngest)) ? null : new Date(youngest),
    search: searchText(
      [tag, name, computer.serial, computer.make, computer.model, ...internal.map((disk) => disk.serial)]
        .filter(Boolean)
        .join(" "),
    ).slice(0, SEARCH_MAX),
    derived: DERIVED_VERSION,
    ...profileKeys(facts),
  };
}

/** The rows in other tables that follow from facts: disks, and who may sign. Replaces those of these computers. */
export async function writeProjections(tx: Queries, rows: { id: ComputerId; facts: Facts }[]): Promise<void> {
  if (rows.length === 0) return;
  const ids = rows.map((row) => row.id);
  await tx.delete(disks).where(inArray(disks.computerId, ids));
  await tx.delete(computerSigners).where(inArray(computerSigners.computerId, ids));
  await tx.delete(computerIdentities).where(inArray(computerIdentities.computerId, ids));
  const diskRows = rows.flatMap(({ id, facts }) =>
    (facts.disks ?? []).map(({ name, bytes, bus, model, serial, removable }, position) => ({
      computerId: id,
      position,
      name,
      bytes,
      bus,
      model,
      serial,
      removable,
    })),
  );
  await insertRows(tx, disks, diskRows);
  await insertRows(tx, computerIdentities, rows.flatMap(identitiesOf));
  await writeSigners(tx, rows);
}

function identitiesOf({ id: computerId, facts }: { id: ComputerId; facts: Facts }) {
  const { uuid, addresses } = facts.computer;
  return [
    ...(uuid === null ? [] : [{ computerId, kind: "uuid" as const, value: uuid }]),
    ...(addresses ?? []).map((value) => ({ computerId, kind: "address" as const, value })),
  ];
}

async function writeSigners(tx: Queries, rows: { id: ComputerId; facts: Facts }[]): Promise<void> {
  const byComputer = new Map<number, string[]>();
  const certificates = new Map<string, typeof signers.$inferInsert>();
  for (const { id, facts } of rows) {
    if (!facts.firmware.secureBoot?.db) continue;
    const allowed = allowedBy(facts);
    byComputer.set(
      id,
      allowed.map((each) => each.sha256),
    );
    for (const { sha256, name, notBefore, notAfter } of allowed)
      certificates.set(sha256, { sha256, name: name.slice(0, 300), notBefore, notAfter });
  }
  if (certificates.size === 0) return;
  await tx
    .insert(signers)
    .values([...certificates.values()])
    .onDuplicateKeyUpdate({ set: { sha256: sql`VALUES(${sql.identifier("sha256")})` } });
  const kept = await tx
    .select({ id: signers.id, sha256: signers.sha256 })
    .from(signers)
    .where(inArray(signers.sha256, [...certificates.keys()]));
  const idOf = new Map(kept.map((row) => [row.sha256, row.id]));
  const links = [...byComputer].flatMap(([computerId, digests]) =>
    [...new Set(digests)].flatMap((digest) => {
      const signerId = idOf.get(digest);
      return signerId === undefined ? [] : [{ computerId, signerId }];
    }),
  );
  await insertRows(tx, computerSigners, links);
}

/** Fleets share their lists: each different pair of lists is taken apart once. */
const allowedByLists = new LRUCache<string, NonNullable<ReturnType<typeof summariseSecureBoot>["signers"]>>({
  max: 500,
});

function allowedBy(facts: Facts) {
  const { db, dbx } = facts.firmware.secureBoot ?? {};
  const key = `${db}\n${dbx}`;
  const keptAnswer = allowedByLists.get(key);
  if (keptAnswer) return keptAnswer;
  const allowed = summariseSecureBoot(facts.firmware).signers ?? [];
  allowedByLists.set(key, allowed);
  return allowed;
}

const CHUNK = 500;

/** Derives anew what an older version derived. At start, after the migrations; goes on where it was killed. */
export async function refreshDerived(db: Database): Promise<number> {
  let done = 0;
  for (let after = 0; ; ) {
    const rows = await db
      .select({
        id: computers.id,
        tag: computers.tag,
        name: computers.name,
        facts: computerFacts.facts,
        provenance: computerFacts.provenance,
      })
      .from(computers)
      .innerJoin(computerFacts, eq(computerFacts.computerId, computers.id))
      .where(and(gt(computers.id, after), lt(computers.derived, DERIVED_VERSION)))
      .orderBy(computers.id)
      .limit(CHUNK);
    const last = rows.at(-1);
    if (!last) return done;
    await act(
      ownContext(db, () => new Date()),
      null,
      async ({ db: tx }) => {
        const facts = await factsOfStored(
          tx,
          rows.map((row) => row.facts),
        );
        const whole = rows.map((row, index) => ({ ...row, facts: facts[index] as Facts }));
        await storeProfiles(tx, whole);
        await writeProjections(tx, whole);
        for (const row of whole) await tx.update(computers).set(derivedColumns(row)).where(eq(computers.id, row.id));
        return ok(whole.length);
      },
    );
    done += rows.length;
    after = last.id;
  }
}
