import { sql } from "drizzle-orm";
import {
  bigint,
  boolean,
  char,
  customType,
  datetime,
  index,
  int,
  longtext,
  mysqlTable,
  primaryKey,
  text,
  uniqueIndex,
  varchar,
} from "drizzle-orm/mysql-core";
import type { CapacityResult } from "@/core/bench/capacity";
import type { BenchLine, BenchRequest, BenchResult } from "@/core/bench/job";
import type { CalendarRelease } from "@/core/calendars/calendar";
import { HAPPENINGS } from "@/core/callout/happenings";
import type { CalloutOutcome, ChosenRoute } from "@/core/callout/record";
import type { NewDisk } from "@/core/callout/replacement";
import type { ImageBody } from "@/core/chain/parts";
import type { CoverResult, CoverSettings, CoverTask } from "@/core/cover/result";
import type { Provenance } from "@/core/facts/merge";
import type { Facts } from "@/core/facts/schema";
import type { CopiedFile, StoreReport } from "@/core/images/report";
import type { Inspection } from "@/core/inspection/schema";
import { type PolicyValues, SCOPES } from "@/core/policy/policy";
import type { ReleaseFacts } from "@/core/releases/facts";

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
    /** How images of its computers are called. */
    namePattern: varchar("name_pattern", { length: 200 }),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("sites_name").on(table.name)],
);

/** Text that is compared byte by byte: searching in it is quick, and what is put in is made small first. */
const plainText = (name: string, length: number) =>
  customType<{ data: string }>({ dataType: () => `varchar(${length}) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin` })(
    name,
  );

const longBlob = (name: string) =>
  customType<{ data: Uint8Array; driverData: Buffer }>({
    dataType: () => "longblob",
    toDriver: (value) => Buffer.from(value.buffer, value.byteOffset, value.byteLength),
    fromDriver: (value) => new Uint8Array(value),
  })(name);

/** One row a computer, narrow enough that lists and filters read ten thousand of them at once. */
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
    /** The rest of the row up to the note is derived from the facts; see services/derived.ts. */
    firmwareVersion: varchar("firmware_version", { length: 200 }),
    legacyMode: varchar("legacy_mode", { length: 10 }),
    secureBoot: varchar("secure_boot", { length: 10 }),
    systemName: varchar("system_name", { length: 200 }),
    systemVersion: varchar("system_version", { length: 80 }),
    memoryBytes: bigint("memory_bytes", { mode: "number" }),
    /** The disk that the system starts from. */
    diskBytes: bigint("disk_bytes", { mode: "number" }),
    /** Bits of `MISSING`. */
    missing: int("missing").notNull().default(0),
    /** When the youngest of its facts was told. */
    factsAt: at("facts_at"),
    /** Tag, name, serial, make, model and disks' serials, small and without marks: what a filter looks through. */
    search: plainText("search", 1000).notNull().default(""),
    /** Which version of the derivation made these. */
    derived: int("derived").notNull().default(0),
    /** Digests of the facts that links depend on: computers that share them are judged once. See `fact_profiles`. */
    startProfile: varchar("start_profile", { length: 190 }).notNull(),
    chainProfile: char("chain_profile", { length: 64 }),
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
    index("computers_model").on(table.make, table.model),
  ],
);

/** The facts themselves, apart from the narrow rows: a collected computer's are some kilobytes. */
export const computerFacts = mysqlTable("computer_facts", {
  computerId: int("computer_id")
    .primaryKey()
    .references(() => computers.id, { onDelete: "cascade" }),
  facts: json<Facts>("facts").notNull(),
  /** Where each fact is from, and when. */
  provenance: json<Provenance>("provenance").notNull(),
});

/** Disks of computers, for finding them by serial and size; the facts have them whole. */
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
  },
  (table) => [uniqueIndex("disks_place").on(table.computerId, table.position), index("disks_serial").on(table.serial)],
);

/** Facts that links depend on and nothing else, by the digest of their canonical form: fleets share a few hundred. */
export const factProfiles = mysqlTable("fact_profiles", {
  key: char("profile_key", { length: 64 }).primaryKey(),
  body: longtext("body").notNull(),
});

/**
 * Secure Boot lists by their content: a fleet shares a few, of some ten kilobytes each. Facts and events name them by
 * digest; see services/list-store.ts.
 */
export const secureBootLists = mysqlTable("secure_boot_lists", {
  /** SHA-256 of the body. */
  sha256: char("sha256", { length: 64 }).primaryKey(),
  /** Base64, as facts have it. */
  body: longtext("body").notNull(),
});

/** Certificates that some computer's Secure Boot allows. */
export const signers = mysqlTable(
  "signers",
  {
    id: id(),
    /** SHA-256 of the certificate. */
    sha256: char("sha256", { length: 64 }).notNull(),
    name: varchar("name", { length: 300 }).notNull(),
    notBefore: varchar("not_before", { length: 30 }).notNull(),
    notAfter: varchar("not_after", { length: 30 }).notNull(),
  },
  (table) => [uniqueIndex("signers_sha256").on(table.sha256)],
);

/** Which computers allow them: in db, and not revoked by dbx. */
export const computerSigners = mysqlTable(
  "computer_signers",
  {
    computerId: int("computer_id")
      .notNull()
      .references(() => computers.id, { onDelete: "cascade" }),
    signerId: int("signer_id")
      .notNull()
      .references(() => signers.id),
  },
  (table) => [
    primaryKey({ name: "computer_signers_place", columns: [table.computerId, table.signerId] }),
    index("computer_signers_signer").on(table.signerId),
  ],
);

/** The keys at start of a make and model, for all computers of it. */
export const keyCards = mysqlTable(
  "key_cards",
  {
    id: id(),
    make: varchar("make", { length: 200 }).notNull(),
    model: varchar("model", { length: 200 }).notNull(),
    setup: varchar("setup", { length: 40 }),
    startMenu: varchar("start_menu", { length: 40 }),
    save: varchar("save", { length: 40 }),
    quirks: text("quirks"),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("key_cards_model").on(table.make, table.model)],
);

/** A product's releases and when their support ends, as imported. */
export const calendars = mysqlTable(
  "calendars",
  {
    id: id(),
    /** What computers call the system. */
    product: varchar("product", { length: 120 }).notNull(),
    fileName: varchar("file_name", { length: 255 }),
    releases: json<CalendarRelease[]>("releases").notNull(),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("calendars_product").on(table.product)],
);

/** A list's filter, sorting and columns under a name; the address holds them, this only remembers it. */
export const savedViews = mysqlTable(
  "saved_views",
  {
    id: id(),
    name: varchar("name", { length: 80 }).notNull(),
    query: varchar("query", { length: 1000 }).notNull(),
    personId: int("person_id").notNull(),
    createdAt: createdAt(),
  },
  (table) => [uniqueIndex("saved_views_name").on(table.name)],
);

/** One act over many computers, that can be undone. */
export const batches = mysqlTable("batches", {
  id: id(),
  at: at("at").notNull(),
  personId: int("person_id").notNull(),
  personName: varchar("person_name", { length: 120 }).notNull(),
  summary: varchar("summary", { length: 300 }).notNull(),
  computers: int("computers").notNull(),
  undoneAt: at("undone_at"),
});

export const IMPORT_STATES = [
  "staged",
  "checking",
  "checked",
  "running",
  "cancelling",
  "done",
  "failed",
  "interrupted",
] as const;

/** A table of computers on its way in: kept until it is done, so that a restart loses nothing. */
export const imports = mysqlTable("imports", {
  id: id(),
  fileName: varchar("file_name", { length: 255 }).notNull(),
  bytes: int("bytes").notNull(),
  personId: int("person_id").notNull(),
  personName: varchar("person_name", { length: 120 }).notNull(),
  state: varchar("state", { length: 12, enum: IMPORT_STATES }).notNull(),
  options: json<unknown>("options"),
  done: int("done").notNull().default(0),
  total: int("total").notNull().default(0),
  report: json<unknown>("report"),
  /** What went wrong, as a sentence. */
  problem: longtext("problem"),
  createdAt: createdAt(),
  updatedAt: updatedAt(),
});

/** Its bytes, in parts that a server's packet limit allows. */
export const importParts = mysqlTable(
  "import_parts",
  {
    importId: int("import_id")
      .notNull()
      .references(() => imports.id, { onDelete: "cascade" }),
    position: int("position").notNull(),
    body: longBlob("body").notNull(),
  },
  (table) => [primaryKey({ name: "import_parts_place", columns: [table.importId, table.position] })],
);

export const kits = mysqlTable(
  "kits",
  {
    id: id(),
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
    id: id(),
    kitId: int("kit_id")
      .notNull()
      .references(() => kits.id),
    name: varchar("name", { length: 60 }).notNull(),
    madeOn: varchar("made_on", { length: 10 }),
    note: text("note"),
    /** What it can do; the links of the chain go by it. */
    facts: json<ReleaseFacts | null>("facts"),
    /** What was read from the file that it was born from. */
    inspectionId: int("inspection_id"),
    /** The release that is to be used instead. */
    supersededById: int("superseded_by_id"),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [
    uniqueIndex("releases_name").on(table.kitId, table.name),
    index("releases_inspection").on(table.inspectionId),
  ],
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

/** What is large about an inspection, apart from it: JSON, compressed. */
export const inspectionContents = mysqlTable("inspection_contents", {
  inspectionId: int("inspection_id")
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
    id: id(),
    tag: varchar("tag", { length: 60 }).notNull(),
    name: varchar("name", { length: 120 }),
    /** usb: stick; disk: external disk; optical: disc; file: not written yet. */
    kind: varchar("kind", { length: 10 }).notNull(),
    capacityBytes: bigint("capacity_bytes", { mode: "number" }),
    siteId: int("site_id").references(() => sites.id),
    lentTo: varchar("lent_to", { length: 120 }),
    /** good, worn or distrusted; null: nothing was ever said of it. */
    condition: varchar("wear", { length: 12, enum: ["good", "worn", "distrusted"] }),
    /** ISO days: when it was written last, and when it was compared with what it should hold. */
    writtenOn: varchar("written_on", { length: 10 }),
    verifiedOn: varchar("verified_on", { length: 10 }),
    verifiedWhole: boolean("verified_whole"),
    /** When a sample of it was compared since, and was right. */
    sampledOn: varchar("sampled_on", { length: 10 }),
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

/** Test starts of media on computers. */
export const drills = mysqlTable(
  "drills",
  {
    id: id(),
    mediumId: int("medium_id")
      .notNull()
      .references(() => media.id),
    computerId: int("computer_id")
      .notNull()
      .references(() => computers.id),
    on: varchar("held_on", { length: 10 }).notNull(),
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

/** A text from an image's body, as a column of its own. */
const fromBody = (name: string, length: number, path: string) =>
  varchar(name, { length }).generatedAlwaysAs(sql.raw(`JSON_VALUE(body, '${path}')`), { mode: "stored" });

/** System images, as the Restores link needs them. */
export const systemImages = mysqlTable(
  "system_images",
  {
    id: id(),
    name: varchar("name", { length: 200 }).notNull(),
    computerId: int("computer_id")
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

export const STORE_KINDS = ["medium", "disk", "share", "host", "computer"] as const;

/** Where images are kept. */
export const stores = mysqlTable(
  "stores",
  {
    id: id(),
    name: varchar("name", { length: 120 }).notNull(),
    kind: varchar("kind", { length: 10, enum: STORE_KINDS }).notNull(),
    /** Of a partition on a medium. */
    mediumId: int("medium_id").references(() => media.id),
    /** Of a disk that is built into a computer; its serial tells which. */
    computerId: int("computer_id").references(() => computers.id),
    diskSerial: varchar("disk_serial", { length: 120 }),
    /** Where it is; of a share or host, where that stands. */
    siteId: int("site_id").references(() => sites.id),
    /** Places from which a share or host is reached; null: not known. */
    reachedFrom: json<number[] | null>("reached_from"),
    /** Without a password. */
    address: varchar("address", { length: 300 }),
    link: varchar("link", { length: 12 }),
    capacityBytes: bigint("capacity_bytes", { mode: "number" }),
    freeBytes: bigint("free_bytes", { mode: "number" }),
    /** ISO day on which its room was looked at. */
    measuredOn: varchar("measured_on", { length: 10 }),
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
    id: id(),
    imageId: int("image_id")
      .notNull()
      .references(() => systemImages.id, { onDelete: "cascade" }),
    storeId: int("store_id")
      .notNull()
      .references(() => stores.id),
    files: json<CopiedFile[]>("files").notNull(),
    state: varchar("state", { length: 10, enum: ["there", "missing", "changed"] })
      .notNull()
      .default("there"),
    /** ISO days: when it was seen last, and when its content was compared with its digests. */
    seenOn: varchar("seen_on", { length: 10 }),
    verifiedOn: varchar("verified_on", { length: 10 }),
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
      .notNull()
      .references(() => stores.id, { onDelete: "cascade" }),
    on: varchar("measured_on", { length: 10 }).notNull(),
    usedBytes: bigint("used_bytes", { mode: "number" }).notNull(),
  },
  (table) => [primaryKey({ name: "store_fills_day", columns: [table.storeId, table.on] })],
);

/** A look through a store: what was found, held against what was known. */
export const storeScans = mysqlTable(
  "store_scans",
  {
    id: id(),
    storeId: int("store_id")
      .notNull()
      .references(() => stores.id, { onDelete: "cascade" }),
    state: varchar("state", { length: 12, enum: ["running", "done", "failed", "cancelled", "interrupted"] }).notNull(),
    /** Whether every file is read to its end, and its digest compared. */
    isThorough: boolean("is_thorough").notNull().default(false),
    doneBytes: bigint("done_bytes", { mode: "number" }).notNull().default(0),
    totalBytes: bigint("total_bytes", { mode: "number" }).notNull().default(0),
    report: json<StoreReport | null>("report"),
    /** What went wrong, as a sentence. */
    problem: varchar("problem", { length: 500 }),
    personName: varchar("person_name", { length: 120 }).notNull(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [index("store_scans_store").on(table.storeId, table.id)],
);

/** The work on one failed computer, from report to handed back. */
export const callouts = mysqlTable(
  "callouts",
  {
    id: id(),
    computerId: int("computer_id")
      .notNull()
      .references(() => computers.id),
    happening: varchar("happening", { length: 20, enum: HAPPENINGS }).notNull(),
    /** ISO day from which on the fault may have been there. */
    since: varchar("since", { length: 10 }),
    /** A disk that takes the place of the old one. */
    newDisk: json<NewDisk | null>("new_disk"),
    /** A computer that takes the place of the old one. */
    newComputerId: int("new_computer_id").references(() => computers.id),
    /** The way that was chosen, as it was judged then. */
    chosen: json<ChosenRoute | null>("chosen"),
    outcome: json<CalloutOutcome | null>("outcome"),
    openedBy: varchar("opened_by", { length: 120 }).notNull(),
    openedAt: at("opened_at").notNull(),
    closedAt: at("closed_at"),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [
    index("callouts_computer").on(table.computerId, table.openedAt),
    index("callouts_open").on(table.closedAt, table.openedAt),
  ],
);

/** What was done on a call-out, in the order that it was told; a mark is never changed, another one takes it back. */
export const calloutMarks = mysqlTable(
  "callout_marks",
  {
    /** Made where the mark was made, so that it can be sent twice. */
    id: char("id", { length: 36 }).primaryKey(),
    calloutId: int("callout_id")
      .notNull()
      .references(() => callouts.id, { onDelete: "cascade" }),
    step: varchar("step", { length: 40 }).notNull(),
    kind: varchar("kind", { length: 8, enum: ["done", "undone", "failed", "note", "photo"] }).notNull(),
    /** When it was made, by the clock of whoever made it. */
    at: at("made_at").notNull(),
    text: text("text"),
    photo: longBlob("photo"),
    photoType: varchar("photo_type", { length: 40 }),
    personName: varchar("person_name", { length: 120 }).notNull(),
    createdAt: createdAt(),
  },
  (table) => [index("callout_marks_callout").on(table.calloutId, table.at)],
);

/** Who had a medium, from when to when. One that was not given back yet is what `media.lentTo` says. */
export const loans = mysqlTable(
  "loans",
  {
    id: id(),
    mediumId: int("medium_id")
      .notNull()
      .references(() => media.id),
    to: varchar("lent_to", { length: 120 }).notNull(),
    /** ISO days. */
    since: varchar("since", { length: 10 }).notNull(),
    dueOn: varchar("due_on", { length: 10 }),
    returnedOn: varchar("returned_on", { length: 10 }),
    personName: varchar("person_name", { length: 120 }).notNull(),
    createdAt: createdAt(),
  },
  (table) => [
    index("loans_medium").on(table.mediumId, table.id),
    index("loans_open").on(table.returnedOn, table.dueOn),
  ],
);

/** A drill that is to be held: ended by one of the medium on the computer, or withdrawn. */
export const plannedDrills = mysqlTable(
  "planned_drills",
  {
    id: id(),
    mediumId: int("medium_id")
      .notNull()
      .references(() => media.id),
    computerId: int("computer_id")
      .notNull()
      .references(() => computers.id),
    /** ISO day by which it is to be held. */
    dueOn: varchar("due_on", { length: 10 }).notNull(),
    personName: varchar("person_name", { length: 120 }).notNull(),
    createdAt: createdAt(),
    endedAt: at("ended_at"),
    /** The drill that was held; null: open, or withdrawn. */
    drillId: int("drill_id").references(() => drills.id),
  },
  (table) => [
    index("planned_drills_pair").on(table.mediumId, table.computerId, table.endedAt),
    index("planned_drills_open").on(table.endedAt, table.dueOn),
  ],
);

/** A change of a computer that somebody noted, to come or made: its image is due by it. */
export const notedChanges = mysqlTable(
  "noted_changes",
  {
    id: id(),
    computerId: int("computer_id")
      .notNull()
      .references(() => computers.id),
    /** ISO day. */
    on: varchar("made_on", { length: 10 }).notNull(),
    what: varchar("what", { length: 200 }).notNull(),
    personName: varchar("person_name", { length: 120 }).notNull(),
    createdAt: createdAt(),
    /** It was noted by mistake, or will not be made. */
    withdrawnAt: at("withdrawn_at"),
  },
  (table) => [
    index("noted_changes_computer").on(table.computerId, table.on),
    index("noted_changes_open").on(table.withdrawnAt, table.on),
  ],
);

/** A stock-taking of a place: every tag that was scanned there. */
export const stocktakes = mysqlTable(
  "stocktakes",
  {
    id: id(),
    siteId: int("site_id")
      .notNull()
      .references(() => sites.id),
    on: varchar("held_on", { length: 10 }).notNull(),
    found: json<string[]>("found").notNull(),
    missing: json<string[]>("missing").notNull(),
    /** Media that were recorded to be elsewhere. */
    moved: json<string[]>("moved").notNull(),
    personName: varchar("person_name", { length: 120 }).notNull(),
    createdAt: createdAt(),
  },
  (table) => [index("stocktakes_site").on(table.siteId, table.id)],
);

/** What computers and places must have: a rule for all, a place, a form, a model or one computer. */
export const policies = mysqlTable(
  "policies",
  {
    id: id(),
    scope: varchar("scope", { length: 12, enum: SCOPES }).notNull(),
    /** The id of a place or computer, a form, make and model; empty for everywhere. */
    target: varchar("target", { length: 200 }).notNull().default(""),
    values: json<Partial<PolicyValues>>("said").notNull(),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("policies_target").on(table.scope, table.target)],
);

/** How long the way between two places takes, either way: the smaller id comes first. */
export const travels = mysqlTable(
  "travels",
  {
    id: id(),
    fromId: int("from_id")
      .notNull()
      .references(() => sites.id),
    toId: int("to_id")
      .notNull()
      .references(() => sites.id),
    minutes: int("minutes").notNull(),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("travels_way").on(table.fromId, table.toId)],
);

/** Plans by which every computer would have what its policy asks for, at the least cost. */
export const coverPlans = mysqlTable(
  "cover_plans",
  {
    id: id(),
    name: varchar("name", { length: 120 }).notNull(),
    state: varchar("state", { length: 12, enum: ["running", "done", "failed", "cancelled", "interrupted", "accepted"] })
      .notNull()
      .default("running"),
    settings: json<CoverSettings>("settings").notNull(),
    result: json<CoverResult | null>("result"),
    /** How far it is, or why it ended otherwise, in words. */
    told: varchar("told", { length: 500 }),
    personName: varchar("person_name", { length: 120 }).notNull(),
    acceptedAt: at("accepted_at"),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [index("cover_plans_state").on(table.state, table.id)],
);

/** What an accepted plan asks to be done. */
export const coverTasks = mysqlTable(
  "cover_tasks",
  {
    id: id(),
    planId: int("plan_id")
      .notNull()
      .references(() => coverPlans.id, { onDelete: "cascade" }),
    position: int("position").notNull(),
    body: json<CoverTask>("body").notNull(),
    doneAt: at("done_at"),
    doneBy: varchar("done_by", { length: 120 }),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [
    uniqueIndex("cover_tasks_place").on(table.planId, table.position),
    index("cover_tasks_open").on(table.doneAt),
  ],
);

/** What is due and was put off, with the reason; it comes back on its day. */
export const snoozes = mysqlTable(
  "snoozes",
  {
    id: id(),
    /** As the due item is known by. */
    dueKey: varchar("due_key", { length: 400 }).notNull(),
    /** ISO day. */
    until: varchar("until_day", { length: 10 }).notNull(),
    why: varchar("why", { length: 300 }).notNull(),
    personName: varchar("person_name", { length: 120 }).notNull(),
    createdAt: createdAt(),
    /** It was taken back before its day. */
    endedAt: at("ended_at"),
  },
  (table) => [index("snoozes_open").on(table.endedAt, table.until)],
);

/** How many computers had what was asked of them, by day and place: kept whenever a day is looked at first. */
export const coverDays = mysqlTable(
  "cover_days",
  {
    id: id(),
    /** ISO day. */
    on: varchar("on_day", { length: 10 }).notNull(),
    /** The place's name then; empty: none was recorded. */
    site: varchar("site", { length: 120 }).notNull(),
    total: int("total").notNull(),
    met: int("met").notNull(),
  },
  (table) => [uniqueIndex("cover_days_place").on(table.on, table.site)],
);

/** What calendars were told: an entry keeps its identity, and says with a higher number when it changed or was called off. */
export const feedEntries = mysqlTable(
  "feed_entries",
  {
    id: id(),
    dueKey: varchar("due_key", { length: 400 }).notNull(),
    /** ISO day. */
    on: varchar("on_day", { length: 10 }).notNull(),
    summary: varchar("summary", { length: 300 }).notNull(),
    description: text("description").notNull(),
    site: varchar("site", { length: 120 }),
    personName: varchar("person_name", { length: 120 }),
    sequence: int("sequence").notNull().default(0),
    cancelledAt: at("cancelled_at"),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("feed_entries_key").on(table.dueKey)],
);

/** Digests that were sent, by whom they were for: the next one tells only what changed since. */
export const digests = mysqlTable(
  "digests",
  {
    id: id(),
    /** A place's or a person's: "site Workshop", "person Runa Esk". */
    audience: varchar("audience", { length: 160 }).notNull(),
    /** Keys of what was due then. */
    due: json<string[]>("due_keys").notNull(),
    /** The file in the outbox; null: nothing had changed, and nothing was sent. */
    file: varchar("file_name", { length: 200 }),
    sentAt: at("sent_at").notNull(),
  },
  (table) => [index("digests_audience").on(table.audience, table.id)],
);

/** Changes to the world that were rehearsed and are kept to be looked at again; nothing in the inventory follows them. */
export const rehearsals = mysqlTable("rehearsals", {
  id: id(),
  name: varchar("name", { length: 120 }).notNull(),
  body: json<unknown>("body").notNull(),
  personName: varchar("person_name", { length: 120 }).notNull(),
  version: version(),
  createdAt: createdAt(),
  updatedAt: updatedAt(),
});

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
    /** Why or from what, in a few words: "from lsblk, dmidecode", "import of fleet.csv". */
    note: varchar("note", { length: 300 }),
    /** The act over many that it is part of. */
    batchId: int("batch_id"),
  },
  (table) => [
    index("events_entity").on(table.entity, table.entityId, table.id),
    index("events_at").on(table.at),
    index("events_batch").on(table.batchId),
  ],
);

/** Devices that were ever in a berth, known again by kind, model, serial and size; what each went through. */
export const devices = mysqlTable(
  "devices",
  {
    id: id(),
    kind: varchar("kind", { length: 10, enum: ["usb", "card", "disk", "optical"] }).notNull(),
    model: varchar("model", { length: 120 }).notNull(),
    serial: varchar("serial", { length: 120 }),
    bytes: bigint("bytes", { mode: "number" }).notNull(),
    sectorBytes: int("sector_bytes").notNull(),
    /** Where what stands for it lies, below the bench's folder; null: a real one. */
    simulatedAs: varchar("simulated_as", { length: 60 }),
    /** Of a real one: the port that it is in, or was in last. */
    port: varchar("port", { length: 120 }),
    /** What it was bought with: devices of one batch fail alike. */
    batch: varchar("batch", { length: 60 }),
    /** The medium that was made of it. */
    mediumId: int("medium_id").references(() => media.id),
    /** Keeps images that are received: never written to as a whole. */
    isStore: boolean("is_store").notNull().default(false),
    timesWritten: int("times_written").notNull().default(0),
    bytesWritten: bigint("bytes_written", { mode: "number" }).notNull().default(0),
    /** Bytes a second, of the last time that it was measured. */
    writeRate: int("write_rate"),
    readRate: int("read_rate"),
    testedAt: at("tested_at"),
    testResult: json<CapacityResult | null>("test_result"),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [
    index("devices_identity").on(table.model, table.serial),
    index("devices_batch").on(table.batch),
    uniqueIndex("devices_simulated").on(table.simulatedAs),
    index("devices_medium").on(table.mediumId),
  ],
);

/** The slots of the bench. */
export const berths = mysqlTable(
  "berths",
  {
    id: id(),
    name: varchar("name", { length: 60 }).notNull(),
    /** What fits: a burner takes discs, the others sticks, cards and disks. */
    accepts: varchar("accepts", { length: 10, enum: ["usb", "card", "disk", "optical"] }).notNull(),
    place: int("place").notNull(),
    /** Of a real one: the port that it stands for; what is in it is found, not chosen. */
    port: varchar("port", { length: 120 }),
    deviceId: int("device_id").references(() => devices.id),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("berths_name").on(table.name), uniqueIndex("berths_device").on(table.deviceId)],
);

/** Work on devices: queued, claimed by a runner, told as it goes. */
export const benchJobs = mysqlTable(
  "bench_jobs",
  {
    id: id(),
    kind: varchar("kind", { length: 10, enum: ["prepare", "verify", "capacity"] }).notNull(),
    state: varchar("state", {
      length: 12,
      enum: ["queued", "running", "paused", "interrupted", "done", "failed", "cancelled"],
    })
      .notNull()
      .default("queued"),
    berthId: int("berth_id")
      .notNull()
      .references(() => berths.id),
    deviceId: int("device_id")
      .notNull()
      .references(() => devices.id),
    releaseId: int("release_id").references(() => releases.id),
    mediumTag: varchar("medium_tag", { length: 60 }),
    request: json<BenchRequest>("request").notNull(),
    /** pause or cancel, as somebody asked for. */
    wish: varchar("wish", { length: 10, enum: ["pause", "cancel"] }),
    phase: varchar("phase", { length: 12 }),
    doneBytes: bigint("done_bytes", { mode: "number" }).notNull().default(0),
    totalBytes: bigint("total_bytes", { mode: "number" }).notNull().default(0),
    /** Bytes a second, lately. */
    rate: int("rate"),
    result: json<BenchResult | null>("result"),
    personName: varchar("person_name", { length: 120 }).notNull(),
    runner: varchar("runner", { length: 60 }),
    heartbeatAt: at("heartbeat_at"),
    startedAt: at("started_at"),
    endedAt: at("ended_at"),
    createdAt: createdAt(),
  },
  (table) => [
    index("bench_jobs_state").on(table.state, table.id),
    index("bench_jobs_berth").on(table.berthId, table.state),
    index("bench_jobs_device").on(table.deviceId, table.id),
  ],
);

/** What a job says of itself, line by line. */
export const benchLines = mysqlTable(
  "bench_lines",
  {
    id: id(),
    jobId: int("job_id")
      .notNull()
      .references(() => benchJobs.id, { onDelete: "cascade" }),
    at: at("said_at").notNull(),
    line: json<BenchLine>("line").notNull(),
  },
  (table) => [index("bench_lines_job").on(table.jobId, table.id)],
);
