import {
  bigint,
  boolean,
  char,
  index,
  int,
  longtext,
  mysqlTable,
  primaryKey,
  text,
  uniqueIndex,
  varchar,
} from "drizzle-orm/mysql-core";
import type { CalendarRelease } from "@/core/computer/calendars/calendar";
import type { Provenance } from "@/core/computer/facts/merge";
import type { Facts } from "@/core/computer/facts/schema";
import type { ImportTrouble } from "@/core/problems/problem";
import type { BatchId, ComputerId, DiskId, ImportId, KeyCardId, PersonId, SavedViewId, SignerId, SiteId } from "../ids";
import { at, createdAt, id, json, longBlob, plainText, trouble, updatedAt, version } from "./columns";

export const people = mysqlTable("people", {
  id: id<PersonId>(),
  name: varchar("name", { length: 120 }).notNull(),
  role: varchar("role", { length: 120 }),
  /** Where digests go. */
  mail: varchar("mail", { length: 254 }),
  version: version(),
});

/** Who did something, by id. */
export const person = (name: string) => int(name).references(() => people.id);

export const sites = mysqlTable(
  "sites",
  {
    id: id<SiteId>(),
    name: varchar("name", { length: 120 }).notNull(),
    place: varchar("place", { length: 200 }),
    /** How images of its computers are called. */
    namePattern: varchar("name_pattern", { length: 200 }),
    /** Where digests go. */
    mail: varchar("mail", { length: 254 }),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [uniqueIndex("sites_name").on(table.name)],
);

/** One row a computer, narrow enough that lists and filters read ten thousand of them at once. */
export const computers = mysqlTable(
  "computers",
  {
    id: id<ComputerId>(),
    tag: varchar("tag", { length: 60 }).notNull(),
    name: varchar("name", { length: 120 }),
    siteId: int("site_id")
      .$type<SiteId>()
      .references(() => sites.id),
    make: varchar("make", { length: 200 }),
    model: varchar("model", { length: 200 }),
    serial: varchar("serial", { length: 200 }),
    form: varchar("form", { length: 20 }),
    firmwareKind: varchar("firmware_kind", { length: 10 }),
    firmwareArch: varchar("firmware_arch", { length: 10 }),
    /** The rest of the row up to the note is derived from the facts; see inventory/derived.ts. */
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
    .$type<ComputerId>()
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
    id: id<DiskId>(),
    computerId: int("computer_id")
      .$type<ComputerId>()
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
 * digest; see inventory/list-store.ts.
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
    id: id<SignerId>(),
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
      .$type<ComputerId>()
      .notNull()
      .references(() => computers.id, { onDelete: "cascade" }),
    signerId: int("signer_id")
      .$type<SignerId>()
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
    id: id<KeyCardId>(),
    make: varchar("make", { length: 200 }).notNull(),
    model: varchar("model", { length: 200 }).notNull(),
    setup: varchar("setup", { length: 40 }),
    startMenu: varchar("start_menu", { length: 40 }),
    save: varchar("save", { length: 40 }),
    quirks: text("quirks"),
    /** How disks are fitted: slots, their kinds, screws and caddies. */
    diskFit: varchar("disk_fit", { length: 500 }),
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
    id: id<SavedViewId>(),
    name: varchar("name", { length: 80 }).notNull(),
    query: varchar("query", { length: 1000 }).notNull(),
    personId: person("person_id").notNull(),
    createdAt: createdAt(),
  },
  (table) => [uniqueIndex("saved_views_name").on(table.name)],
);

/** One act over many computers, that can be undone. */
export const batches = mysqlTable("batches", {
  id: id<BatchId>(),
  at: at("at").notNull(),
  personId: person("person_id").notNull(),
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
  id: id<ImportId>(),
  fileName: varchar("file_name", { length: 255 }).notNull(),
  bytes: int("bytes").notNull(),
  personId: person("person_id").notNull(),
  state: varchar("state", { length: 12, enum: IMPORT_STATES }).notNull(),
  options: json<unknown>("options"),
  done: int("done").notNull().default(0),
  total: int("total").notNull().default(0),
  report: json<unknown>("report"),
  problem: trouble<ImportTrouble>("problem"),
  createdAt: createdAt(),
  updatedAt: updatedAt(),
});

/** Its bytes, in parts that a server's packet limit allows. */
export const importParts = mysqlTable(
  "import_parts",
  {
    importId: int("import_id")
      .$type<ImportId>()
      .notNull()
      .references(() => imports.id, { onDelete: "cascade" }),
    position: int("position").notNull(),
    body: longBlob("body").notNull(),
  },
  (table) => [primaryKey({ name: "import_parts_place", columns: [table.importId, table.position] })],
);
