import { one, positive, type SearchParams } from "../_lib/params";

/** What the address of the matrix holds. */
export interface ChainsState {
  text: string | undefined;
  site: string | undefined;
  release: string | undefined;
  /** What the columns are. */
  against: "media" | "releases";
  rowPage: number;
  columnPage: number;
  /** The cell that is opened. */
  computer: string | undefined;
  medium: string | undefined;
}

export async function chainsState(params: SearchParams): Promise<ChainsState> {
  const values = await params;
  return {
    text: one(values.q)?.slice(0, 200) || undefined,
    site: one(values.site) || undefined,
    release: one(values.release) || undefined,
    against: one(values.against) === "releases" ? "releases" : "media",
    rowPage: positive(values.rows) ?? 1,
    columnPage: positive(values.columns) ?? 1,
    computer: one(values.computer) || undefined,
    medium: one(values.medium) || undefined,
  };
}

/** The address that holds a state; what is at its default is left out. */
export function chainsQuery(state: Partial<ChainsState>): string {
  const query = new URLSearchParams();
  if (state.text) query.set("q", state.text);
  if (state.site) query.set("site", state.site);
  if (state.release) query.set("release", state.release);
  if (state.against === "releases") query.set("against", state.against);
  if (state.rowPage && state.rowPage > 1) query.set("rows", String(state.rowPage));
  if (state.columnPage && state.columnPage > 1) query.set("columns", String(state.columnPage));
  if (state.computer) query.set("computer", state.computer);
  if (state.medium) query.set("medium", state.medium);
  return query.size > 0 ? `?${query}` : "";
}
