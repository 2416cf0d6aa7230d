import { sql } from "drizzle-orm";
import { bigint, boolean, index, int, mysqlTable, uniqueIndex, varchar } from "drizzle-orm/mysql-core";
import type { BenchLine, BenchRequest, BenchResult } from "@/core/making/jobs/job";
import type { CapacityResult } from "@/core/making/writing/capacity";
import type { BenchHostId, BenchJobId, BerthId, DeviceId, MediumId, ReleaseId, TokenId } from "../ids";
import { at, createdAt, id, json, updatedAt, version } from "./columns";
import { person } from "./computers";
import { media, releases } from "./media";
import { tokens } from "./tokens";

/** Devices that were ever in a berth, known again by kind, model, serial and size; what each went through. */
export const devices = mysqlTable(
  "devices",
  {
    id: id<DeviceId>(),
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
    mediumId: int("medium_id")
      .$type<MediumId>()
      .references(() => media.id),
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

/** Computers that take part in the bench: their ports are berths, and they do the jobs there. */
export const benchHosts = mysqlTable(
  "bench_hosts",
  {
    id: id<BenchHostId>(),
    /** Its computer's. */
    name: varchar("name", { length: 60 }).notNull(),
    /** What it comes with. */
    tokenId: int("token_id")
      .$type<TokenId>()
      .notNull()
      .references(() => tokens.id, { onDelete: "cascade" }),
    version: varchar("version", { length: 40 }).notNull(),
    system: varchar("system", { length: 120 }).notNull(),
    /** When it was heard of last, by the clock of the database. */
    seenAt: at("seen_at").notNull(),
    createdAt: createdAt(),
  },
  (table) => [uniqueIndex("bench_hosts_name").on(table.name), index("bench_hosts_token").on(table.tokenId)],
);

/** What a bench host saw of a device that is in one of its ports. */
export const deviceLooks = mysqlTable("device_looks", {
  deviceId: int("device_id")
    .$type<DeviceId>()
    .primaryKey()
    .references(() => devices.id, { onDelete: "cascade" }),
  look: json<object>("look").notNull(),
  at: at("looked_at").notNull(),
});

/** The slots of the bench. */
export const berths = mysqlTable(
  "berths",
  {
    id: id<BerthId>(),
    name: varchar("name", { length: 60 }).notNull(),
    /** What fits: a burner takes discs, the others sticks, cards and disks. */
    accepts: varchar("accepts", { length: 10, enum: ["usb", "card", "disk", "optical"] }).notNull(),
    place: int("place").notNull(),
    /** Of a real one: the port that it stands for; what is in it is found, not chosen. */
    port: varchar("port", { length: 120 }),
    /** Whose port it is; null: this server's. */
    hostId: int("host_id")
      .$type<BenchHostId>()
      .references(() => benchHosts.id),
    deviceId: int("device_id")
      .$type<DeviceId>()
      .references(() => devices.id),
    version: version(),
    createdAt: createdAt(),
    updatedAt: updatedAt(),
  },
  (table) => [
    uniqueIndex("berths_name").on(table.name),
    uniqueIndex("berths_device").on(table.deviceId),
    index("berths_host").on(table.hostId),
  ],
);

/** Work on devices: queued, claimed by a runner, told as it goes. */
export const benchJobs = mysqlTable(
  "bench_jobs",
  {
    id: id<BenchJobId>(),
    kind: varchar("kind", { length: 10, enum: ["prepare", "verify", "capacity"] }).notNull(),
    state: varchar("state", {
      length: 12,
      enum: ["queued", "running", "paused", "interrupted", "done", "failed", "cancelled"],
    })
      .notNull()
      .default("queued"),
    berthId: int("berth_id")
      .$type<BerthId>()
      .notNull()
      .references(() => berths.id),
    deviceId: int("device_id")
      .$type<DeviceId>()
      .notNull()
      .references(() => devices.id),
    releaseId: int("release_id")
      .$type<ReleaseId>()
      .references(() => releases.id),
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
    personId: person("person_id").notNull(),
    runner: varchar("runner", { length: 60 }),
    heartbeatAt: at("heartbeat_at"),
    startedAt: at("started_at"),
    endedAt: at("ended_at"),
    createdAt: createdAt(),
    /** The berth that it has to itself while it is open: the database lets no second one in. */
    holdsBerthId: int("holds_berth_id")
      .$type<BerthId>()
      .generatedAlwaysAs(sql`IF(state IN ('queued', 'running', 'paused', 'interrupted'), berth_id, NULL)`, {
        mode: "virtual",
      }),
  },
  (table) => [
    uniqueIndex("bench_jobs_holds").on(table.holdsBerthId),
    index("bench_jobs_state").on(table.state, table.id),
    index("bench_jobs_berth").on(table.berthId, table.state),
    index("bench_jobs_device").on(table.deviceId, table.id),
    index("bench_jobs_ended").on(table.endedAt),
  ],
);

/** What a job says of itself, line by line. */
export const benchLines = mysqlTable(
  "bench_lines",
  {
    id: id(),
    jobId: int("job_id")
      .$type<BenchJobId>()
      .notNull()
      .references(() => benchJobs.id, { onDelete: "cascade" }),
    at: at("said_at").notNull(),
    line: json<BenchLine>("line").notNull(),
  },
  (table) => [index("bench_lines_job").on(table.jobId, table.id)],
);
