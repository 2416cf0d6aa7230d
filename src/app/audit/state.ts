import { one, type SearchParams } from "../_lib/params";

/** What of the audit an address asks for. */
export async function auditState(searchParams: SearchParams) {
  const values = await searchParams;
  const page = Math.max(1, Math.trunc(Number(one(values.page)) || 1));
  return { filter: { text: (one(values.q) ?? "").slice(0, 200), isRefused: one(values.refused) === "1" }, page };
}

/** The address of a part of it. */
export function auditHref(
  { text, isRefused }: { text: string; isRefused: boolean },
  page: number,
  path = "/audit",
): string {
  const query = new URLSearchParams();
  if (text) query.set("q", text);
  if (isRefused) query.set("refused", "1");
  if (page > 1) query.set("page", String(page));
  const told = query.toString();
  return told ? `${path}?${told}` : path;
}
