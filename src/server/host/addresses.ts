/** The addresses that people reach Creel by, as CREEL_URL names them, the first in what is sent to them: origins. */
export function ownOrigins(): string[] {
  const named = (process.env.CREEL_URL ?? "").split(",").map((each) => each.trim());
  return named.filter((each) => URL.canParse(each)).map((each) => new URL(each).origin);
}

/** The address that a request came from, as the server that took it in saw it; null where nothing tells. */
export function clientAddress(headers: Pick<Headers, "get"> | undefined): string | null {
  return headers?.get("x-forwarded-for")?.split(",").at(-1)?.trim() ?? null;
}

/** Why a request is not answered, before anything of it is read; null: it may go on. */
export type DoorRefusal = "foreign-host" | "foreign-origin";

/**
 * Whether a request was sent to Creel by one of its own names, and, where it writes, by one of its own pages. A browser
 * names the page that a write comes from (Fetch, "Origin header"); one that names none, or "null", is no page of Creel's.
 * A name that is not Creel's may be anybody's that leads here (DNS rebinding).
 */
export function doorRefusal(method: string, headers: Pick<Headers, "get">): DoorRefusal | null {
  const origins = ownOrigins();
  const hosts = new Set(origins.map((each) => new URL(each).host));
  const told = [headers.get("host"), ...(headers.get("x-forwarded-host")?.split(",") ?? [])];
  if (told.some((host) => !host || !hosts.has(host.trim().toLowerCase()))) return "foreign-host";
  if (method === "GET" || method === "HEAD") return null;
  const origin = headers.get("origin");
  return origin !== null && origins.includes(origin) ? null : "foreign-origin";
}
