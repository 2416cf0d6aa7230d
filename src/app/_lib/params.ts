import type { Verdict } from "@/core/judging/model/schema";

export type SearchParams = Promise<Record<string, string | string[] | undefined>>;

/** The first value of a search parameter. */
export function one(value: string | string[] | undefined): string | undefined {
  return Array.isArray(value) ? value[0] : value;
}

/** All values of a search parameter, at most `most`. */
export function many(value: string | string[] | undefined, most = 200): string[] {
  return [value ?? []].flat().slice(0, most);
}

export function positive(value: string | string[] | undefined): number | undefined {
  const number = Number(one(value));
  return Number.isSafeInteger(number) && number > 0 ? number : undefined;
}

export interface ListState {
  text: string | undefined;
  siteId: number | undefined;
  best: Verdict | "none" | undefined;
  retired: boolean;
  page: number;
}

const BESTS = ["holds", "holds-after-change", "broken", "unknown", "none"] as const;

export async function listState(params: SearchParams): Promise<ListState> {
  const values = await params;
  return {
    text: one(values.q)?.slice(0, 200),
    siteId: positive(values.site),
    best: BESTS.find((each) => each === one(values.best)),
    retired: one(values.retired) === "1",
    page: positive(values.page) ?? 1,
  };
}

/** The address that holds a list's state; what is at its default is left out. */
export function listQuery(state: Partial<ListState>): string {
  const query = new URLSearchParams();
  if (state.text) query.set("q", state.text);
  if (state.siteId) query.set("site", String(state.siteId));
  if (state.best) query.set("best", state.best);
  if (state.retired) query.set("retired", "1");
  if (state.page && state.page > 1) query.set("page", String(state.page));
  const text = query.toString();
  return text ? `?${text}` : "";
}
