import { sql } from "drizzle-orm";
import { customType, date, datetime, int, varchar } from "drizzle-orm/mysql-core";

/**
 * JSON that comes back parsed: MariaDB keeps JSON as text and the driver hands it over as such. `read` brings what an
 * earlier version kept to the form of this one.
 */
export const json = <T>(name: string, read: (value: unknown) => T = (value) => value as T) =>
  customType<{ data: T; driverData: string }>({
    dataType: () => "json",
    toDriver: (value) => JSON.stringify(value),
    fromDriver: (value) => read(typeof value === "string" ? JSON.parse(value) : value),
  })(name);

/** What went wrong, as a code with its facts; earlier versions kept sentences, which are told as they are. */
export const trouble = <T>(name: string) =>
  customType<{ data: T | { code: "told-in-words"; text: string }; driverData: string }>({
    dataType: () => "longtext",
    toDriver: (value) => JSON.stringify(value),
    fromDriver: (text) => (text.startsWith("{") ? JSON.parse(text) : { code: "told-in-words", text }),
  })(name);

/** Every row that people edit carries the version that optimistic locking compares. */
export const id = <T extends number = number>() => int("id").$type<T>().primaryKey().autoincrement();
export const version = () => int("version").notNull().default(1);
export const at = (name: string) => datetime(name, { mode: "date", fsp: 3 });
/** An ISO day, kept as a DATE. */
export const day = (name: string) => date(name, { mode: "string" });
export const createdAt = () => at("created_at").notNull().default(sql`(UTC_TIMESTAMP(3))`);
export const updatedAt = () => at("updated_at").notNull().default(sql`(UTC_TIMESTAMP(3))`);

/** Text that is compared byte by byte: searching in it is quick, and what is put in is made small first. */
export const plainText = (name: string, length: number) =>
  customType<{ data: string }>({ dataType: () => `varchar(${length}) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin` })(
    name,
  );

export const longBlob = (name: string) =>
  customType<{ data: Uint8Array; driverData: Buffer }>({
    dataType: () => "longblob",
    toDriver: (value) => Buffer.from(value.buffer, value.byteOffset, value.byteLength),
    fromDriver: (value) => new Uint8Array(value),
  })(name);

/** A text from an image's body, as a column of its own. */
export const fromBody = (name: string, length: number, path: string) =>
  varchar(name, { length }).generatedAlwaysAs(sql.raw(`JSON_VALUE(body, '${path}')`), { mode: "stored" });
