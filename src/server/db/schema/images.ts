import {
  bigint,
  boolean,
  index,
  int,
  mysqlTable,
  primaryKey,
  text,
  uniqueIndex,
  varchar,
} from "drizzle-orm/mysql-core";
import type { CopiedFile, StoreReport } from "@/core/images/report";
import type { ImageBody } from "@/core/judging/model/parts";
import type { ScanTrouble } from "@/core/problems/problem";
import type { ComputerId, ImageCopyId, ImageId, MediumId, NotedChangeId, ScanId, SiteId, StoreId } from "../ids";
import { at, createdAt, day, fromBody, id, json, trouble, updatedAt, version } from "./columns";
import { computers, person, sites } from "./computers";
import { media } from "./media";

/** System images, as the Restores link needs them. */
export const systemImages = mysqlTable(
  "system_images",
  {
    id: id<ImageId>(),
    name: varchar("name", { length: 200 }).notNull(),
    computerId: int("computer_id")
      .$type<ComputerId>()
      .notNull()
      .references(() => computers.id),
    takenAt: at("taken_at").notNull(),
    body: json<ImageBody>("body").notNull(),
    /** What lists of ten thousands go by, kept by the database from the body. */
    kind: fromBody("kind", 12, "$.kind"),
    parent: fromBody("parent", 200, "$.parent"),
    verifiedOn: fromBody("verified_on", 10, "$.verified.on"),
    verifiedWhole: fromBody("verified_whole", 5, "$.verified.whole"),
    /** When it was deleted: what was known of it stays. */
    deletedAt: at("deleted_at"),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [
    uniqueIndex("system_images_name").on(table.name),
    index("system_images_computer").on(table.computerId),
    index("system_images_taken").on(table.deletedAt, table.takenAt),
  ],
);

export const STORE_KINDS = ["medium", "disk", "share", "host", "block", "computer"] as const;

/** Where images are kept. */
export const stores = mysqlTable(
  "stores",
  {
    id: id<StoreId>(),
    name: varchar("name", { length: 120 }).notNull(),
    kind: varchar("kind", { length: 10, enum: STORE_KINDS }).notNull(),
    /** Of a partition on a medium. */
    mediumId: int("medium_id")
      .$type<MediumId>()
      .references(() => media.id),
    /** Of a disk that is built into a computer; its serial tells which. */
    computerId: int("computer_id")
      .$type<ComputerId>()
      .references(() => computers.id),
    diskSerial: varchar("disk_serial", { length: 120 }),
    /** Where it is; of a share or host, where that stands. */
    siteId: int("site_id")
      .$type<SiteId>()
      .references(() => sites.id),
    /** Places from which a share or host is reached; null: not known. */
    reachedFrom: json<number[] | null>("reached_from"),
    /** Without a password. */
    address: varchar("address", { length: 300 }),
    /** Who may read a share, by name. */
    account: varchar("account", { length: 120 }),
    /** Whether the store itself is encrypted, null: not known; and where its key is kept. */
    encrypted: boolean("encrypted"),
    keyPlace: varchar("key_place", { length: 200 }),
    link: varchar("link", { length: 12 }),
    capacityBytes: bigint("capacity_bytes", { mode: "number" }),
    freeBytes: bigint("free_bytes", { mode: "number" }),
    /** ISO day on which its room was looked at. */
    measuredOn: day("measured_on"),
    /** Bytes a second, as measured. */
    writeRate: int("write_rate"),
    readRate: int("read_rate"),
    /** The folder of this server that it is mounted at, below its folder of stores; null: it cannot be looked into. */
    folder: varchar("folder", { length: 120 }),
    /** How its images are called. */
    namePattern: varchar("name_pattern", { length: 200 }),
    note: text("note"),
    retiredAt: at("retired_at"),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("stores_name").on(table.name), index("stores_medium").on(table.mediumId)],
);

/** A copy of an image in a store. */
export const imageCopies = mysqlTable(
  "image_copies",
  {
    id: id<ImageCopyId>(),
    imageId: int("image_id")
      .$type<ImageId>()
      .notNull()
      .references(() => systemImages.id, { onDelete: "cascade" }),
    storeId: int("store_id")
      .$type<StoreId>()
      .notNull()
      .references(() => stores.id),
    files: json<CopiedFile[]>("files").notNull(),
    state: varchar("state", { length: 10, enum: ["there", "missing", "changed"] })
      .notNull()
      .default("there"),
    /** ISO days: when it was seen last, and when its content was compared with its digests. */
    seenOn: day("seen_on"),
    verifiedOn: day("verified_on"),
    verifiedWhole: boolean("verified_whole"),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [
    uniqueIndex("image_copies_place").on(table.imageId, table.storeId),
    index("image_copies_store").on(table.storeId),
  ],
);

/** How full a store was, whenever that was looked at. */
export const storeFills = mysqlTable(
  "store_fills",
  {
    storeId: int("store_id")
      .$type<StoreId>()
      .notNull()
      .references(() => stores.id, { onDelete: "cascade" }),
    on: day("measured_on").notNull(),
    usedBytes: bigint("used_bytes", { mode: "number" }).notNull(),
  },
  (table) => [primaryKey({ name: "store_fills_day", columns: [table.storeId, table.on] })],
);

/** A look through a store: what was found, held against what was known. */
export const storeScans = mysqlTable(
  "store_scans",
  {
    id: id<ScanId>(),
    storeId: int("store_id")
      .$type<StoreId>()
      .notNull()
      .references(() => stores.id, { onDelete: "cascade" }),
    state: varchar("state", { length: 12, enum: ["running", "done", "failed", "cancelled", "interrupted"] }).notNull(),
    /** Whether every file is read to its end, and its digest compared. */
    isThorough: boolean("is_thorough").notNull().default(false),
    doneBytes: bigint("done_bytes", { mode: "number" }).notNull().default(0),
    totalBytes: bigint("total_bytes", { mode: "number" }).notNull().default(0),
    report: json<StoreReport | null>("report"),
    problem: trouble<ScanTrouble>("problem"),
    personId: person("person_id").notNull(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [index("store_scans_store").on(table.storeId, table.id)],
);

/** A change of a computer that somebody noted, to come or made: its image is due by it. */
export const notedChanges = mysqlTable(
  "noted_changes",
  {
    id: id<NotedChangeId>(),
    computerId: int("computer_id")
      .$type<ComputerId>()
      .notNull()
      .references(() => computers.id),
    /** ISO day. */
    on: day("made_on").notNull(),
    what: varchar("what", { length: 200 }).notNull(),
    personId: person("person_id").notNull(),
    createdAt: createdAt(),
    /** It was noted by mistake, or will not be made. */
    withdrawnAt: at("withdrawn_at"),
  },
  (table) => [
    index("noted_changes_computer").on(table.computerId, table.on),
    index("noted_changes_open").on(table.withdrawnAt, table.on),
  ],
);
