import { createHash } from "node:crypto";
import { RateLimiterMemory } from "rate-limiter-flexible";
import { once } from "@/server/api/once";
import { endpointOf } from "@/server/api/open-api";
import { type AskedByMachine, bodyOf, problemDetails, rowId } from "./guard";

/** What one token may ask for within a minute, of each server. */
const PER_MINUTE = { points: 600, duration: 60 };
const BODY_BYTES_MAX = 4 << 20;
/** Collectors of a whole site report with one token, all of them on a Monday morning. */
const REPORTS_PER_MINUTE = { points: 6_000, duration: 60 };
/** A bench host tells twice a second how far each of its jobs is. */
const HOSTS_PER_MINUTE = { points: 6_000, duration: 60 };
const limiters = {
  asked: new RateLimiterMemory(PER_MINUTE),
  reports: new RateLimiterMemory(REPORTS_PER_MINUTE),
  hosts: new RateLimiterMemory(HOSTS_PER_MINUTE),
};

export type ApiParams = { path: string[] };

const notFound = () => problemDetails({ code: "not-found", what: "path in this interface" });

/** Answers what a machine asks of the HTTP interface, by its table of endpoints. */
export async function answered({ request, context, bearer, params }: AskedByMachine<ApiParams>): Promise<Response> {
  const limiter =
    bearer.kind === "facts" ? limiters.reports : bearer.kind === "bench" ? limiters.hosts : limiters.asked;
  const isFree = await limiter.consume(bearer.id).then(
    () => true,
    () => false,
  );
  if (!isFree) {
    const response = problemDetails({ code: "refused", why: { code: "too-many-requests" } });
    response.headers.set("retry-after", "60");
    return response;
  }
  const found = endpointOf(request.method, params.path);
  if (!found || found.endpoint.kind !== bearer.kind) return notFound();
  const { endpoint, places } = found;
  const query = { ...Object.fromEntries(new URL(request.url).searchParams), ...places };
  const body = endpoint.body ? await bodyOf(request, BODY_BYTES_MAX) : { ok: true as const, value: new Uint8Array() };
  if (!body.ok) return problemDetails(body.problem);
  const run = async () => {
    const result = await endpoint.run({
      context,
      bearer,
      ...{ tag: places.tag ?? "", id: rowId(places.id ?? "") },
      query,
      body: body.value,
    });
    if (result.ok) return { status: 200, text: JSON.stringify(result.value) };
    const told = problemDetails(result.problem);
    return { status: told.status, text: await told.text() };
  };
  const key = endpoint.body ? request.headers.get("idempotency-key") : null;
  const answer = await once(context, bearer, { key, path: params.path.join("/"), body: body.value }, run);
  if (!answer.ok) return problemDetails(answer.problem);
  const { status, text } = answer.value;
  const headers = { "content-type": status === 200 ? "application/json" : "application/problem+json" };
  if (status !== 200 || endpoint.body) return new Response(text, { status, headers });
  const etag = `"${createHash("sha256").update(text).digest("base64url").slice(0, 27)}"`;
  const known = request.headers
    .get("if-none-match")
    ?.split(",")
    .map((each) => each.trim().replace(/^W\//, ""));
  if (known?.includes(etag)) return new Response(null, { status: 304, headers: { etag } });
  return new Response(text, { headers: { ...headers, etag, "cache-control": "private, no-cache" } });
}
