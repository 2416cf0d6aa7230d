import { MISSING } from "@/core/computer/facts/missing";
import { LINK_NAMES } from "@/core/judging/model/schema";
import {
  BESTS,
  type ComputerFilter,
  FIRMWARE_FILTERS,
  SECURE_FILTERS,
  SORTS,
  type Sort,
} from "@/server/computers/computer-list";
import { one, positive, type SearchParams } from "../_lib/params";
import { COLUMN_KEYS, type ColumnKey, DEFAULT_COLUMNS } from "./columns";

/** The list as its address has it: filter, order, columns, page. */
export interface ComputersState {
  filter: ComputerFilter;
  sort: Sort;
  descending: boolean;
  columns: ColumnKey[];
  page: number;
}

/** Addresses that were kept while a column had another name. */
const FORMER_KEYS: Record<string, ColumnKey> = { starts: "chain" };

const SORT_KEYS = Object.keys(SORTS) as Sort[];

export async function computersState(params: SearchParams): Promise<ComputersState> {
  const values = await params;
  const text = (name: string, max = 200) => one(values[name])?.slice(0, max) || undefined;
  const among = <T extends string>(name: string, list: readonly T[]) => list.find((each) => each === one(values[name]));
  const signer = Number(one(values.signer));
  const filter: ComputerFilter = {
    text: text("q"),
    siteId: positive(values.site),
    firmware: among("firmware", FIRMWARE_FILTERS),
    arch: text("arch", 10),
    secureBoot: among("secure", SECURE_FILTERS),
    signer: Number.isSafeInteger(signer) && signer !== 0 ? signer : undefined,
    system: text("system"),
    make: text("make"),
    model: text("model"),
    missing: among("missing", [...MISSING, "any"] as const),
    best: among("best", BESTS),
    at: among("at", LINK_NAMES),
    retired: one(values.retired) === "1" || undefined,
  };
  const sort = one(values.sort);
  const columns = (one(values.columns) ?? "")
    .split(" ")
    .flatMap((key) => COLUMN_KEYS.find((each) => each === (FORMER_KEYS[key] ?? key)) ?? []);
  return {
    filter,
    sort: SORT_KEYS.find((each) => each === sort?.replace(/^-/, "")) ?? "tag",
    descending: sort?.startsWith("-") ?? false,
    columns: columns.length > 0 ? columns : [...DEFAULT_COLUMNS],
    page: positive(values.page) ?? 1,
  };
}

/** The address that holds a state; what is at its default is left out. */
export function computersQuery(state: Partial<ComputersState>): string {
  const query = new URLSearchParams();
  const { filter = {}, sort = "tag", descending = false, columns, page } = state;
  const put = (name: string, value: string | number | boolean | undefined) => {
    if (value) query.set(name, value === true ? "1" : String(value));
  };
  put("q", filter.text);
  put("site", filter.siteId);
  put("firmware", filter.firmware);
  put("arch", filter.arch);
  put("secure", filter.secureBoot);
  put("signer", filter.signer);
  put("system", filter.system);
  put("make", filter.make);
  put("model", filter.model);
  put("missing", filter.missing);
  put("best", filter.best);
  put("at", filter.at);
  put("retired", filter.retired);
  if (sort !== "tag" || descending) put("sort", `${descending ? "-" : ""}${sort}`);
  if (columns && columns.join(" ") !== DEFAULT_COLUMNS.join(" ")) put("columns", columns.join(" "));
  if (page && page > 1) put("page", page);
  const text = query.toString();
  return text ? `?${text}` : "";
}

/** Whether a filter narrows anything. */
export function isNarrowed(filter: ComputerFilter): boolean {
  return Object.values(filter).some((value) => value !== undefined);
}
