import {
  type AnyMySqlColumn,
  bigint,
  boolean,
  char,
  index,
  int,
  longtext,
  mysqlTable,
  text,
  uniqueIndex,
  varchar,
} from "drizzle-orm/mysql-core";
import type { LoadPart } from "@/core/judging/model/loads";
import { MEDIUM_KINDS } from "@/core/judging/model/parts";
import type { Finding } from "@/core/medium/findings/findings";
import type { Inspection } from "@/core/medium/inspection/schema";
import type { ReleaseFacts } from "@/core/medium/releases/facts";
import type {
  ComputerId,
  DrillId,
  InspectionId,
  KitId,
  LoadId,
  LoanId,
  MediumId,
  PlannedDrillId,
  ReleaseId,
  SiteId,
} from "../ids";
import { at, createdAt, day, id, json, longBlob, updatedAt, version } from "./columns";
import { computers, person, sites } from "./computers";

export const kits = mysqlTable(
  "kits",
  {
    id: id<KitId>(),
    name: varchar("name", { length: 120 }).notNull(),
    /** What its environment is: "Linux", "PE", or what the trade calls it. */
    family: varchar("family", { length: 60 }),
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
    id: id<ReleaseId>(),
    kitId: int("kit_id")
      .$type<KitId>()
      .notNull()
      .references(() => kits.id),
    name: varchar("name", { length: 60 }).notNull(),
    madeOn: day("made_on"),
    note: text("note"),
    /** What it can do; the links of the chain go by it. */
    facts: json<ReleaseFacts | null>("facts"),
    /** What was read from the file that it was born from. */
    inspectionId: int("inspection_id")
      .$type<InspectionId>()
      .references((): AnyMySqlColumn => inspections.id),
    /** The release that is to be used instead. */
    supersededById: int("superseded_by_id")
      .$type<ReleaseId>()
      .references((): AnyMySqlColumn => releases.id),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [
    uniqueIndex("releases_name").on(table.kitId, table.name),
    index("releases_inspection").on(table.inspectionId),
    index("releases_successor").on(table.supersededById),
  ],
);

/** What firmware makes of media, by the digest of it: media that firmware cannot tell apart share it. */
export const inspectionViews = mysqlTable("inspection_views", {
  /** SHA-256 of the body. */
  key: char("views_key", { length: 64 }).primaryKey(),
  body: json<Inspection["views"]>("body").notNull(),
});

/** What was read from a file or device; kept for good, a medium points to its latest. */
export const inspections = mysqlTable(
  "inspections",
  {
    id: id<InspectionId>(),
    fileName: varchar("file_name", { length: 255 }).notNull(),
    bytes: bigint("bytes", { mode: "number" }).notNull(),
    sha256: char("sha256", { length: 64 }),
    /** SHA-256 of the views: media that firmware cannot tell apart are judged once. */
    viewsKey: char("views_key", { length: 64 })
      .notNull()
      .references(() => inspectionViews.key),
    /** The first finding that is a fault; null where there is none. */
    fault: json<Finding | null>("fault"),
    /** All of it but the views. */
    body: json<Omit<Inspection, "views">>("body").notNull(),
    createdAt: createdAt(),
  },
  (table) => [index("inspections_views").on(table.viewsKey)],
);

/** What is large about an inspection, apart from it: JSON, compressed. */
export const inspectionContents = mysqlTable("inspection_contents", {
  inspectionId: int("inspection_id")
    .$type<InspectionId>()
    .primaryKey()
    .references(() => inspections.id, { onDelete: "cascade" }),
  /** Every file with its size: `Listing`. */
  listing: longBlob("listing"),
  /** Lists of drivers: `DriverSource[]`. */
  drivers: longBlob("drivers"),
  /** `creel.manifest/1`. */
  manifest: longBlob("manifest"),
  manifestAt: at("manifest_at"),
});

export const media = mysqlTable(
  "media",
  {
    id: id<MediumId>(),
    tag: varchar("tag", { length: 60 }).notNull(),
    name: varchar("name", { length: 120 }),
    kind: varchar("kind", { length: 10, enum: MEDIUM_KINDS }).notNull(),
    /** Of an entry: the computer on whose own disk it is. */
    onComputerId: int("on_computer_id")
      .$type<ComputerId>()
      .references((): AnyMySqlColumn => computers.id),
    capacityBytes: bigint("capacity_bytes", { mode: "number" }),
    siteId: int("site_id")
      .$type<SiteId>()
      .references(() => sites.id),
    lentTo: varchar("lent_to", { length: 120 }),
    /** good, worn or distrusted; null: nothing was ever said of it. */
    condition: varchar("wear", { length: 12, enum: ["good", "worn", "distrusted"] }),
    /** ISO days: when it was written last, and when it was compared with what it should hold. */
    writtenOn: day("written_on"),
    verifiedOn: day("verified_on"),
    verifiedWhole: boolean("verified_whole"),
    /** When a sample of it was compared since, and was right. */
    sampledOn: day("sampled_on"),
    note: text("note"),
    inspectionId: int("inspection_id")
      .$type<InspectionId>()
      .references(() => inspections.id),
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
    id: id<LoadId>(),
    mediumId: int("medium_id")
      .$type<MediumId>()
      .notNull()
      .references(() => media.id, { onDelete: "cascade" }),
    releaseId: int("release_id")
      .$type<ReleaseId>()
      .notNull()
      .references(() => releases.id),
    writtenOn: day("written_on"),
    /** Where it stands, and which firmware comes to it, where the medium carries several; null: it has the medium to itself. */
    part: json<LoadPart>("part"),
    /** It was made without the release's system files. */
    lacksSystemFiles: boolean("lacks_system_files").notNull().default(false),
  },
  (table) => [
    uniqueIndex("loads_place").on(table.mediumId, table.releaseId),
    index("loads_release").on(table.releaseId),
  ],
);

/** Test starts of media on computers. */
export const drills = mysqlTable(
  "drills",
  {
    id: id<DrillId>(),
    mediumId: int("medium_id")
      .$type<MediumId>()
      .notNull()
      .references(() => media.id),
    computerId: int("computer_id")
      .$type<ComputerId>()
      .notNull()
      .references(() => computers.id),
    on: day("held_on").notNull(),
    result: varchar("result", { length: 10, enum: ["started", "restored", "failed"] }).notNull(),
    /** Of the computer, on that day. */
    firmwareVersion: varchar("firmware_version", { length: 200 }),
    /** Held on an emulated computer: weaker evidence than the computer itself. */
    isEmulated: boolean("is_emulated").notNull().default(false),
    /** What was printed, and the screen as PNG. */
    evidenceText: longtext("evidence_text"),
    evidencePicture: longBlob("evidence_picture"),
    note: text("note"),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [
    index("drills_medium").on(table.mediumId, table.on),
    index("drills_computer").on(table.computerId, table.on),
  ],
);

/** A drill that is to be held: ended by one of the medium on the computer, or withdrawn. */
export const plannedDrills = mysqlTable(
  "planned_drills",
  {
    id: id<PlannedDrillId>(),
    mediumId: int("medium_id")
      .$type<MediumId>()
      .notNull()
      .references(() => media.id),
    computerId: int("computer_id")
      .$type<ComputerId>()
      .notNull()
      .references(() => computers.id),
    /** ISO day by which it is to be held. */
    dueOn: day("due_on").notNull(),
    personId: person("person_id").notNull(),
    createdAt: createdAt(),
    endedAt: at("ended_at"),
    /** The drill that was held; null: open, or withdrawn. */
    drillId: int("drill_id")
      .$type<DrillId>()
      .references(() => drills.id),
  },
  (table) => [
    index("planned_drills_pair").on(table.mediumId, table.computerId, table.endedAt),
    index("planned_drills_open").on(table.endedAt, table.dueOn),
  ],
);

/** Who had a medium, from when to when. One that was not given back yet is what `media.lentTo` says. */
export const loans = mysqlTable(
  "loans",
  {
    id: id<LoanId>(),
    mediumId: int("medium_id")
      .$type<MediumId>()
      .notNull()
      .references(() => media.id),
    to: varchar("lent_to", { length: 120 }).notNull(),
    /** ISO days. */
    since: day("since").notNull(),
    dueOn: day("due_on"),
    returnedOn: day("returned_on"),
    personId: person("person_id").notNull(),
    createdAt: createdAt(),
  },
  (table) => [
    index("loans_medium").on(table.mediumId, table.id),
    index("loans_open").on(table.returnedOn, table.dueOn),
  ],
);

/** A stock-taking of a place: every tag that was scanned there. */
export const stocktakes = mysqlTable(
  "stocktakes",
  {
    id: id(),
    siteId: int("site_id")
      .$type<SiteId>()
      .notNull()
      .references(() => sites.id),
    on: day("held_on").notNull(),
    found: json<string[]>("found").notNull(),
    missing: json<string[]>("missing").notNull(),
    /** Media that were recorded to be elsewhere. */
    moved: json<string[]>("moved").notNull(),
    personId: person("person_id").notNull(),
    createdAt: createdAt(),
  },
  (table) => [index("stocktakes_site").on(table.siteId, table.id)],
);
