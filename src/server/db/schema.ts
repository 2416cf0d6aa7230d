import { sql } from "drizzle-orm";
import {
  bigint,
  boolean,
  char,
  customType,
  datetime,
  index,
  int,
  mysqlTable,
  text,
  uniqueIndex,
  varchar,
} from "drizzle-orm/mysql-core";
import type { DiskFacts, Facts } from "@/core/facts/schema";
import type { Inspection } from "@/core/inspection/schema";

/** JSON that comes back parsed: MariaDB keeps JSON as text and the driver hands it over as such. */
const json = <T>(name: string) =>
  customType<{ data: T; driverData: string }>({
    dataType: () => "json",
    toDriver: (value) => JSON.stringify(value),
    fromDriver: (value) => (typeof value === "string" ? (JSON.parse(value) as T) : (value as T)),
  })(name);

/** Every row that people edit carries the version that optimistic locking compares. */
const id = () => int("id").primaryKey().autoincrement();
const version = () => int("version").notNull().default(1);
const at = (name: string) => datetime(name, { mode: "date", fsp: 3 });
const createdAt = () => at("created_at").notNull().default(sql`(UTC_TIMESTAMP(3))`);
const updatedAt = () => at("updated_at").notNull().default(sql`(UTC_TIMESTAMP(3))`);

export const people = mysqlTable("people", {
  id: id(),
  name: varchar("name", { length: 120 }).notNull(),
  role: varchar("role", { length: 120 }),
});

export const sites = mysqlTable(
  "sites",
  {
    id: id(),
    name: varchar("name", { length: 120 }).notNull(),
    place: varchar("place", { length: 200 }),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("sites_name").on(table.name)],
);

export const computers = mysqlTable(
  "computers",
  {
    id: id(),
    tag: varchar("tag", { length: 60 }).notNull(),
    name: varchar("name", { length: 120 }),
    siteId: int("site_id").references(() => sites.id),
    make: varchar("make", { length: 200 }),
    model: varchar("model", { length: 200 }),
    serial: varchar("serial", { length: 200 }),
    form: varchar("form", { length: 20 }),
    firmwareKind: varchar("firmware_kind", { length: 10 }),
    firmwareArch: varchar("firmware_arch", { length: 10 }),
    /** Everything else of `creel.facts/1`; disks have rows of their own. */
    facts: json<Omit<Facts, "disks">>("facts").notNull(),
    /** The facts that the Starts link depends on, in canonical form: computers that share it are judged once. */
    startProfile: varchar("start_profile", { length: 190 }).notNull(),
    note: text("note"),
    retiredAt: at("retired_at"),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [
    uniqueIndex("computers_tag").on(table.tag),
    index("computers_serial").on(table.serial),
    index("computers_site").on(table.siteId, table.retiredAt),
    index("computers_profile").on(table.retiredAt, table.startProfile),
    index("computers_name").on(table.name),
    index("computers_model").on(table.model),
  ],
);

export const disks = mysqlTable(
  "disks",
  {
    id: id(),
    computerId: int("computer_id")
      .notNull()
      .references(() => computers.id, { onDelete: "cascade" }),
    position: int("position").notNull(),
    name: varchar("name", { length: 100 }).notNull(),
    bytes: bigint("bytes", { mode: "number" }).notNull(),
    bus: varchar("bus", { length: 40 }),
    model: varchar("model", { length: 200 }),
    serial: varchar("serial", { length: 200 }),
    removable: boolean("removable"),
    /** The disk as `creel.facts/1` has it, partitions included. */
    facts: json<DiskFacts>("facts").notNull(),
  },
  (table) => [uniqueIndex("disks_place").on(table.computerId, table.position)],
);

export const kits = mysqlTable(
  "kits",
  {
    id: id(),
    name: varchar("name", { length: 120 }).notNull(),
    purpose: varchar("purpose", { length: 300 }),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("kits_name").on(table.name)],
);

export const releases = mysqlTable(
  "releases",
  {
    id: id(),
    kitId: int("kit_id")
      .notNull()
      .references(() => kits.id),
    name: varchar("name", { length: 60 }).notNull(),
    madeOn: varchar("made_on", { length: 10 }),
    note: text("note"),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("releases_name").on(table.kitId, table.name)],
);

/** What was read from a file or device; kept for good, a medium points to its latest. */
export const inspections = mysqlTable(
  "inspections",
  {
    id: id(),
    fileName: varchar("file_name", { length: 255 }).notNull(),
    bytes: bigint("bytes", { mode: "number" }).notNull(),
    sha256: char("sha256", { length: 64 }),
    /** SHA-256 of the views: media that firmware cannot tell apart are judged once. */
    viewsKey: char("views_key", { length: 64 }).notNull(),
    /** The first finding that is a fault, in words; null where there is none. */
    fault: varchar("fault", { length: 500 }),
    body: json<Inspection>("body").notNull(),
    createdAt: createdAt(),
  },
  (table) => [index("inspections_views").on(table.viewsKey)],
);

export const media = mysqlTable(
  "media",
  {
    id: id(),
    tag: varchar("tag", { length: 60 }).notNull(),
    name: varchar("name", { length: 120 }),
    /** usb: stick; disk: external disk; optical: disc; file: not written yet. */
    kind: varchar("kind", { length: 10 }).notNull(),
    capacityBytes: bigint("capacity_bytes", { mode: "number" }),
    siteId: int("site_id").references(() => sites.id),
    lentTo: varchar("lent_to", { length: 120 }),
    note: text("note"),
    inspectionId: int("inspection_id").references(() => inspections.id),
    retiredAt: at("retired_at"),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [
    uniqueIndex("media_tag").on(table.tag),
    index("media_site").on(table.siteId, table.retiredAt),
    index("media_inspection").on(table.inspectionId),
  ],
);

/** A release on a medium. */
export const loads = mysqlTable(
  "loads",
  {
    id: id(),
    mediumId: int("medium_id")
      .notNull()
      .references(() => media.id, { onDelete: "cascade" }),
    releaseId: int("release_id")
      .notNull()
      .references(() => releases.id),
    writtenOn: varchar("written_on", { length: 10 }),
  },
  (table) => [
    uniqueIndex("loads_place").on(table.mediumId, table.releaseId),
    index("loads_release").on(table.releaseId),
  ],
);

/** Every change in the inventory: who, when, and what it was before. Never changed, never deleted. */
export const events = mysqlTable(
  "events",
  {
    id: id(),
    at: at("at").notNull(),
    personId: int("person_id").notNull(),
    personName: varchar("person_name", { length: 120 }).notNull(),
    entity: varchar("entity", { length: 20 }).notNull(),
    entityId: int("entity_id").notNull(),
    entityTag: varchar("entity_tag", { length: 120 }).notNull(),
    action: varchar("action", { length: 20 }).notNull(),
    /** The version of the row after the change. */
    entityVersion: int("entity_version").notNull(),
    before: json<Record<string, unknown> | null>("before"),
    after: json<Record<string, unknown> | null>("after"),
  },
  (table) => [index("events_entity").on(table.entity, table.entityId, table.id), index("events_at").on(table.at)],
);
