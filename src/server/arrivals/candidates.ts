import { and, eq, inArray, isNull, or } from "drizzle-orm";
import { type Identity, identityOf } from "@/core/computer/facts/identity";
import type { Queries } from "../db/client";
import type { ComputerId, SiteId } from "../db/ids";
import { computerIdentities, computers, disks, sites } from "../db/schema";

/** A recorded computer that a report may be of. */
export interface Candidate {
  id: ComputerId;
  tag: string;
  name: string | null;
  siteId: SiteId | null;
  site: string | null;
  identity: Identity;
  /** Its maker and serials as they are recorded. */
  written: string[];
}

/** Of one report, so many at most: fillers that makers leave in serials are everybody's. */
const CANDIDATES_MAX = 12;
const IDS_MAX = 2_000;

/**
 * Computers in service that share a tag, serial, board, network address or disk with any of these, by which of them: four
 * questions, each by an index, for all reports together.
 */
export async function candidatesFor(tx: Queries, told: readonly Identity[]): Promise<Candidate[][]> {
  const all = (of: (identity: Identity) => string | readonly string[]) => [...new Set(told.flatMap(of))];
  const [tags, serials] = [all(({ tag }) => tag ?? []), all(({ serial }) => serial ?? [])];
  const [uuids, addresses] = [all(({ uuid }) => uuid ?? []), all((identity) => identity.addresses)];
  const diskSerials = all((identity) => identity.disks);
  const ids = new Set<ComputerId>();
  const ofRows = [
    ...(tags.length + serials.length > 0
      ? await tx
          .select({ id: computers.id })
          .from(computers)
          .where(
            and(
              isNull(computers.retiredAt),
              or(
                tags.length > 0 ? inArray(computers.tag, tags) : undefined,
                serials.length > 0 ? inArray(computers.serial, serials) : undefined,
              ),
            ),
          )
          .limit(IDS_MAX)
      : []),
    ...(uuids.length + addresses.length > 0
      ? await tx
          .select({ id: computerIdentities.computerId })
          .from(computerIdentities)
          .where(
            or(
              uuids.length > 0
                ? and(eq(computerIdentities.kind, "uuid"), inArray(computerIdentities.value, uuids))
                : undefined,
              addresses.length > 0
                ? and(eq(computerIdentities.kind, "address"), inArray(computerIdentities.value, addresses))
                : undefined,
            ),
          )
          .limit(IDS_MAX)
      : []),
    ...(diskSerials.length > 0
      ? await tx.select({ id: disks.computerId }).from(disks).where(inArray(disks.serial, diskSerials)).limit(IDS_MAX)
      : []),
  ];
  for (const { id } of ofRows) ids.add(id);
  const recorded = await recordedOf(tx, [...ids]);
  return told.map((identity) => recorded.filter((each) => sharesAny(identity, each.identity)).slice(0, CANDIDATES_MAX));
}

function sharesAny(told: Identity, recorded: Identity): boolean {
  return (
    (told.tag !== null && told.tag === recorded.tag) ||
    (told.serial !== null && told.serial === recorded.serial) ||
    (told.uuid !== null && told.uuid === recorded.uuid) ||
    told.addresses.some((address) => recorded.addresses.includes(address)) ||
    told.disks.some((serial) => recorded.disks.includes(serial))
  );
}

/** What computers in service are recognised by, from rows that are there for that: their facts are not read. */
async function recordedOf(tx: Queries, ids: ComputerId[]): Promise<Candidate[]> {
  if (ids.length === 0) return [];
  const rows = await tx
    .select({
      ...{ id: computers.id, tag: computers.tag, name: computers.name, make: computers.make },
      ...{ serial: computers.serial, siteId: computers.siteId, site: sites.name },
    })
    .from(computers)
    .leftJoin(sites, eq(sites.id, computers.siteId))
    .where(and(inArray(computers.id, ids), isNull(computers.retiredAt)))
    .orderBy(computers.tag);
  const [numbers, ownDisks] = [
    await tx.select().from(computerIdentities).where(inArray(computerIdentities.computerId, ids)),
    await tx
      .select({ computerId: disks.computerId, serial: disks.serial, removable: disks.removable })
      .from(disks)
      .where(inArray(disks.computerId, ids)),
  ];
  return rows.map(({ id, tag, name, make, serial, siteId, site }) => {
    const of = (kind: "uuid" | "address") =>
      numbers.filter((each) => each.computerId === id && each.kind === kind).map(({ value }) => value);
    const [uuid = null] = of("uuid");
    const computer = { tag, make, model: null, serial, form: null, uuid, addresses: of("address") };
    const told = ownDisks.filter((each) => each.computerId === id);
    const identity = identityOf({ computer, disks: told.map(({ serial: own, removable }) => diskOf(own, removable)) });
    const written = [make, serial, ...told.map((each) => each.serial)].flatMap((text) => text ?? []);
    return { id, tag, name, siteId, site, identity, written };
  });
}

const diskOf = (serial: string | null, removable: boolean | null) => ({
  ...{ name: "", bytes: 0, sectorBytes: null, bus: null, table: null, model: null, serial, removable },
  ...{ partitions: [], blank: null },
});
