import { BESIDE_MOST } from "@/core/making/pack/pack";
import { WAYS, type Way } from "@/core/making/planning/plan";
import type { MediumWish } from "@/server/bench/plans";
import { many, one, positive } from "../../_lib/params";

/** Where a medium is written: a berth, or a file for later. */
type Onto = { berth: number } | { file: number | null };

/** What the address says of a medium that is to be made. */
export interface Making {
  /** Tags of the computers that it is for, as they were typed. */
  tags: string[];
  /** Computers that were marked in a list, by id. */
  ids: number[];
  /** For nobody in particular. */
  isForAny: boolean;
  releaseId: number | null;
  besideIds: number[];
  way: Way;
  table: "gpt" | "mbr";
  store: boolean;
  /** False: the release's system files are left out. */
  systemFiles: boolean;
  files: string[];
  onto: Onto | null;
  tag: string;
  name: string;
  siteId: number | null;
  note: string;
}

type Query = Record<string, string | string[] | undefined>;

export function makingOf(query: Query): Making {
  const releaseId = positive(query.release) ?? null;
  const berth = positive(query.berth);
  const way = WAYS.find((each) => each === one(query.way)) ?? "laid-out";
  return {
    tags: (one(query.tags) ?? "").split(/[\s,;]+/).filter(Boolean),
    ids: (one(query.ids) ?? "")
      .split(",")
      .map(Number)
      .filter((id) => Number.isSafeInteger(id) && id > 0),
    isForAny: one(query.any) === "1",
    releaseId,
    besideIds: [...new Set(many(query.beside).flatMap((id) => positive(id) ?? []))]
      .filter((id) => id !== releaseId)
      .slice(0, BESIDE_MOST),
    way,
    table: one(query.table) === "mbr" ? "mbr" : "gpt",
    store: one(query.store) === "1",
    systemFiles: one(query.system) !== "0",
    files: many(query.file),
    onto: one(query.berth) === "file" ? { file: positive(query.bytes) ?? null } : berth ? { berth } : null,
    tag: one(query.tag)?.trim() ?? "",
    name: one(query.name)?.trim() ?? "",
    siteId: positive(query.site) ?? null,
    note: one(query.note)?.trim() ?? "",
  };
}

/** What is said so far, as fields of the address; what is left out is not said. */
export function fieldsOf(making: Partial<Making>): [string, string][] {
  const { tags = [], ids = [], besideIds = [], files = [], onto } = making;
  return [
    ...(tags.length > 0 ? [["tags", tags.join(" ")] as [string, string]] : []),
    ...(ids.length > 0 ? [["ids", ids.join(",")] as [string, string]] : []),
    ...(making.isForAny ? [["any", "1"] as [string, string]] : []),
    ...(making.releaseId ? [["release", String(making.releaseId)] as [string, string]] : []),
    ...besideIds.map((id): [string, string] => ["beside", String(id)]),
    ...(making.way ? [["way", making.way] as [string, string]] : []),
    ...(making.table ? [["table", making.table] as [string, string]] : []),
    ...(making.store ? [["store", "1"] as [string, string]] : []),
    ...(making.systemFiles === false ? [["system", "0"] as [string, string]] : []),
    ...files.map((name): [string, string] => ["file", name]),
    ...(onto && "berth" in onto ? [["berth", String(onto.berth)] as [string, string]] : []),
    ...(onto && "file" in onto ? [["berth", "file"] as [string, string]] : []),
    ...(onto && "file" in onto && onto.file ? [["bytes", String(onto.file)] as [string, string]] : []),
    ...(["tag", "name", "note"] as const).flatMap((key) =>
      making[key] ? [[key, making[key]] as [string, string]] : [],
    ),
    ...(making.siteId ? [["site", String(making.siteId)] as [string, string]] : []),
  ];
}

export function makeHref(making: Partial<Making>): string {
  const query = new URLSearchParams(fieldsOf(making)).toString();
  return query ? `/bench/make?${query}` : "/bench/make";
}

/** As plans take it; null where no release or no tag is said. */
export function mediumWish({
  releaseId,
  besideIds,
  way,
  table,
  store,
  systemFiles,
  files,
  tag,
}: Making): MediumWish | null {
  if (releaseId === null || tag === "") return null;
  const own = way === "laid-out" ? { besideIds, systemFiles } : { besideIds: [] };
  return { releaseId, ...own, way, table, store, files, tag };
}
