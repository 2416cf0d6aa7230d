import { asc, eq, gt } from "drizzle-orm";
import { z } from "zod";
import { readDocument } from "@/core/computer/collect/read";
import { factsSchema } from "@/core/computer/facts/schema";
import { ofEachLink } from "@/core/judging/model/schema";
import { dayOf } from "@/core/kernel/days";
import {
  claimAnswerSchema,
  claimSchema,
  hostAnswerSchema,
  hostLookSchema,
  hostReportSchema,
  hostTellingSchema,
  toldAnswerSchema,
} from "@/core/making/jobs/host";
import {
  computerAnswerSchema,
  computerRowSchema,
  coverStandingSchema,
  dueRowSchema,
  eventRowSchema,
  factsTakenSchema,
  listOf,
  mediumRowSchema,
  pagedOf,
  releaseRowSchema,
  reportAnswerSchema,
  routeRowSchema,
} from "@/core/words/documents/api";
import { linkRow } from "@/core/words/documents/match";
import { reportAnswerText } from "@/core/words/reports";
import { outcomeText } from "@/core/words/routes";
import { consequenceText, dueReasonText, dueTitle } from "@/core/words/upkeep";
import type { Bearer, TokenKind } from "../accounts/tokens";
import { takeInto, takeReport } from "../arrivals/reports";
import { claimForHost, takeHostLook, takeHostReport, takeTelling } from "../bench/hosts";
import { listComputers } from "../computers/computer-list";
import type { Context } from "../context";
import { coverView } from "../cover/view";
import { events, sites } from "../db/schema";
import { type Route, routesOf } from "../fleet/routes";
import { type ComputerDetail, getComputer } from "../inventory/computers";
import { getMedium, listMedia } from "../media/media";
import { listReleases } from "../media/releases";
import { fail, ok, type Result, refused } from "../problems";
import { dueView } from "../upkeep/due";

/** What an endpoint is asked by whom. */
interface Asked {
  context: Context;
  bearer: Bearer;
  /** Out of the path: `{tag}`. */
  tag: string;
  /** Out of the path: `{id}`; 0 where it is no number. */
  id: number;
  query: Record<string, string>;
  /** Of a request that has one. */
  body: Uint8Array;
}

/** One path of the HTTP interface, with its documents as schemas: what it answers and its description are made from it. */
export interface Endpoint {
  method: "GET" | "POST";
  /** Below /api/v1, such as "/computers/{tag}". */
  path: string;
  name: string;
  kind: TokenKind;
  summary: string;
  /** Parameters of the query, each with what it is. */
  query: Record<string, string>;
  body: z.ZodType | null;
  answer: z.ZodType;
  run: (asked: Asked) => Promise<Result<unknown>>;
}

const page = { page: "from 1" };
const pageOf = ({ page: asked = "1" }: Record<string, string>) => Math.max(1, Math.trunc(Number(asked) || 1));

/** The site that is asked for, or the only one that a token may read. Problems: `not-found`. */
async function siteOf({ context, bearer, query }: Asked): Promise<Result<{ id: number; name: string } | null>> {
  if (bearer.site) {
    const isOther = query.site !== undefined && query.site !== bearer.site.name;
    return isOther ? fail({ code: "not-found", what: "site", name: query.site ?? "" }) : ok(bearer.site);
  }
  if (query.site === undefined) return ok(null);
  const [row] = await context.db
    .select({ id: sites.id, name: sites.name })
    .from(sites)
    .where(eq(sites.name, query.site));
  return row ? ok(row) : fail({ code: "not-found", what: "site", name: query.site });
}

/** A computer of the sites that a token may read; any other one is not there. */
async function computerOf({ context, bearer }: Asked, tag: string): Promise<Result<ComputerDetail>> {
  const found = await getComputer(context, tag);
  const isOther = bearer.computer !== null && bearer.computer !== found?.row.tag;
  if (!found || isOther || (bearer.site && found.row.siteId !== bearer.site.id))
    return fail({ code: "not-found", what: "computer", name: tag });
  return ok(found);
}

function routeOf({ medium, siteName, release, outcome, weakest, links }: Route): z.infer<typeof routeRowSchema> {
  return {
    ...{ medium, site: siteName, release, outcome: outcome?.kind ?? null, text: outcomeText(outcome) },
    ...{ image: outcome?.image?.id ?? null, verdict: weakest, links: ofEachLink((name) => linkRow(links[name])) },
  };
}

const EVENTS_MOST = 500;

/** What a bench host says and asks: `run` gets its body as JSON, which it holds against the schema itself. */
function ofHosts(
  { path, name, summary, body, answer }: Pick<Endpoint, "path" | "name" | "summary" | "body" | "answer">,
  run: (asked: Asked, said: unknown) => Promise<Result<unknown>>,
): Endpoint {
  return {
    ...{ method: "POST", path: `/bench${path}`, name, kind: "bench", summary, query: {}, body, answer },
    run: async (asked) => {
      const said = jsonOf(asked.body);
      return said === undefined ? refused({ code: "body-unreadable" }) : run(asked, said);
    },
  };
}

/** Undefined where it is none. */
function jsonOf(body: Uint8Array): unknown {
  try {
    return JSON.parse(new TextDecoder("utf-8", { fatal: true }).decode(body));
  } catch {
    return undefined;
  }
}

export const ENDPOINTS: readonly Endpoint[] = [
  {
    ...{ method: "GET", path: "/computers", name: "apiComputers", kind: "read" },
    summary: "Computers in service, with what the best route of each comes to.",
    query: { q: "words in tag, name, serial, make or model", site: "by name", ...page },
    ...{ body: null, answer: pagedOf(computerRowSchema) },
    run: async (asked) => {
      const site = await siteOf(asked);
      if (!site.ok) return site;
      const at = pageOf(asked.query);
      const filter = { text: asked.query.q?.slice(0, 200), siteId: site.value?.id, page: at };
      const { items, total } = await listComputers(asked.context, filter);
      return ok({
        items: items.map(({ siteName, systemName, factsAt, cover, ...row }) => ({
          ...{ tag: row.tag, name: row.name, site: siteName, make: row.make, model: row.model, serial: row.serial },
          ...{ system: systemName, secureBoot: row.secureBoot },
          factsAt: factsAt ? new Date(factsAt).toISOString() : null,
          best: cover?.verdict ?? null,
        })),
        ...{ total, page: at },
      });
    },
  },
  {
    ...{ method: "GET", path: "/computers/{tag}", name: "apiComputer", kind: "read" },
    summary: "One computer with its facts.",
    ...{ query: {}, body: null },
    answer: computerAnswerSchema,
    run: async (asked) => {
      const found = await computerOf(asked, asked.tag);
      if (!found.ok) return found;
      const { row, siteName, facts } = found.value;
      return ok({ tag: row.tag, name: row.name, site: siteName, version: row.version, facts });
    },
  },
  {
    ...{ method: "GET", path: "/computers/{tag}/routes", name: "apiRoutes", kind: "read" },
    summary: "Every route of a computer, the best first.",
    ...{ query: {}, body: null, answer: listOf(routeRowSchema) },
    run: async (asked) => {
      const found = await computerOf(asked, asked.tag);
      if (!found.ok) return found;
      return ok({ items: (await routesOf(asked.context, found.value)).map(routeOf) });
    },
  },
  {
    ...{ method: "POST", path: "/facts", name: "apiReport", kind: "facts" },
    summary:
      "Takes what a collector found: into the computer that it is of by serial, board or network address, else among those that wait to be accepted. creel.cim/1 is taken too. A report that comes again changes nothing.",
    ...{ query: {}, body: factsSchema, answer: reportAnswerSchema },
    run: async ({ context, bearer, body }) => {
      const from = { tokenId: bearer.id, site: bearer.site, computer: bearer.computer, origin: bearer.origin };
      const answer = await takeReport(context, from, body);
      return answer.ok ? ok({ ...answer.value, text: reportAnswerText(answer.value) }) : answer;
    },
  },
  {
    ...{ method: "POST", path: "/computers/{tag}/facts", name: "apiFacts", kind: "facts" },
    summary: "Imports facts of a recorded computer: newer ones replace, those set by hand stay.",
    ...{ query: {}, body: factsSchema, answer: factsTakenSchema },
    run: async (asked) => {
      const found = await computerOf(asked, asked.tag);
      if (!found.ok) return found;
      const at = asked.context.now().toISOString();
      const reading = readDocument({ name: "facts.json", bytes: asked.body, at });
      if (!reading.ok || reading.kind !== "facts") return refused({ code: "malformed" });
      const { row } = found.value;
      const told = reading.observation.values.find(([path]) => path === "computer/tag")?.[1];
      // A collector that was carried to the wrong computer does not overwrite this one.
      if (typeof told === "string" && told.toLowerCase() !== row.tag.toLowerCase())
        return refused({ code: "facts-of-another", told, tag: row.tag });
      const taken = await takeInto(asked.context, found.value, [reading.observation]);
      if (!taken.ok) return taken;
      const now = await getComputer(asked.context, row.tag);
      return ok({ tag: row.tag, changes: (now?.row.version ?? row.version) - row.version });
    },
  },
  {
    ...{ method: "GET", path: "/media", name: "apiMedia", kind: "read" },
    summary: "Media in use, with how many computers each is a route for.",
    query: { q: "words in tag or name", site: "by name", ...page },
    ...{ body: null, answer: pagedOf(mediumRowSchema) },
    run: async (asked) => {
      const site = await siteOf(asked);
      if (!site.ok) return site;
      const at = pageOf(asked.query);
      const filter = { text: asked.query.q?.slice(0, 200), siteId: site.value?.id, page: at };
      const { items, total } = await listMedia(asked.context, filter);
      return ok({
        items: items.map(({ tag, name, kind, capacityBytes, siteName, lentTo, loads, computers }) => ({
          ...{ tag, name, kind, capacityBytes, site: siteName, lentTo, computers },
          releases: loads.map((load) => `${load.kitName} ${load.releaseName}`),
        })),
        ...{ total, page: at },
      });
    },
  },
  {
    ...{ method: "GET", path: "/media/{tag}/computers/{computer}", name: "apiPair", kind: "read" },
    summary: "What one medium comes to for one computer: each of its routes, judged link by link.",
    ...{ query: {}, body: null, answer: listOf(routeRowSchema) },
    run: async (asked) => {
      const medium = await getMedium(asked.context, asked.tag);
      if (!medium || medium.row.retiredAt) return fail({ code: "not-found", what: "medium", name: asked.tag });
      const found = await computerOf(asked, asked.query.computer ?? "");
      if (!found.ok) return found;
      const routes = await routesOf(asked.context, found.value);
      return ok({ items: routes.filter((route) => route.medium === medium.row.tag).map(routeOf) });
    },
  },
  {
    ...{ method: "GET", path: "/releases", name: "apiReleases", kind: "read" },
    summary: "Kits and their releases.",
    ...{ query: {}, body: null, answer: listOf(releaseRowSchema) },
    run: async ({ context }) => {
      const items = await listReleases(context);
      return ok({ items: items.map(({ id, kitName, name, madeOn }) => ({ id, kit: kitName, name, madeOn })) });
    },
  },
  {
    ...{ method: "GET", path: "/cover", name: "apiCover", kind: "read" },
    summary: "How the fleet stands against its policy, by site, and which computers lack what.",
    ...{ query: { site: "by name", ...page }, body: null, answer: coverStandingSchema },
    run: async (asked) => {
      const site = await siteOf(asked);
      if (!site.ok) return site;
      const view = await coverView(asked.context, {
        ...{ site: site.value?.name ?? null, need: null, page: pageOf(asked.query) },
      });
      const places = view.places.filter(({ name }) => !site.value || name === site.value.name);
      const [total, lacking] = [places, places].map((each, at) =>
        each.reduce((sum, place) => sum + (at === 0 ? place.total : place.lacking), 0),
      );
      return ok({
        total: site.value ? total : view.total,
        met: site.value ? (total ?? 0) - (lacking ?? 0) : view.met,
        sites: places.map((place) => ({ site: place.name, total: place.total, lacking: place.lacking })),
        lacking: view.lacking.map(({ tag, name, needs }) => ({ tag, name, needs: needs.map(({ need }) => need) })),
        ...{ page: view.page, pages: view.pages },
      });
    },
  },
  {
    ...{ method: "GET", path: "/due", name: "apiDue", kind: "read" },
    summary: "What is due, by what breaks without it.",
    query: { site: "by name", ...page },
    ...{ body: null, answer: pagedOf(dueRowSchema) },
    run: async (asked) => {
      const site = await siteOf(asked);
      if (!site.ok) return site;
      const view = await dueView(asked.context, {
        ...{ kind: null, site: site.value?.name ?? null, page: pageOf(asked.query) },
      });
      const today = dayOf(asked.context.now());
      return ok({
        items: view.items.map((item) => ({
          ...{ key: item.key, kind: item.kind, title: dueTitle(item), reason: dueReasonText(item.reason) },
          consequence: consequenceText(item, today),
          ...{ site: item.site, computer: item.computer, medium: item.medium, breaksOn: item.breaksOn },
        })),
        ...{ total: view.total, page: view.page },
      });
    },
  },
  {
    ...{ method: "GET", path: "/events", name: "apiEvents", kind: "read" },
    summary: `What was changed after an event, the earliest first, at most ${EVENTS_MOST}. Not for tokens of one site.`,
    query: { after: "the id of the last event that is known; 0 from the start" },
    ...{ body: null, answer: listOf(eventRowSchema) },
    run: async ({ context, bearer, query }) => {
      if (bearer.site) return refused({ code: "token-refused" });
      const after = Math.max(0, Math.trunc(Number(query.after) || 0));
      const rows = await context.db
        .select()
        .from(events)
        .where(gt(events.id, after))
        .orderBy(asc(events.id))
        .limit(EVENTS_MOST);
      return ok({
        items: rows.map(({ id, at, personName, entity, entityTag, action, before, after: is }) => ({
          ...{ id, at: at.toISOString(), person: personName, entity, tag: entityTag, action, before, after: is },
        })),
      });
    },
  },
  ofHosts(
    {
      ...{ path: "/report", name: "apiBenchReport", body: hostReportSchema, answer: hostAnswerSchema },
      summary: "What is in the ports of a bench host, every few seconds; answers what to read and whether a job waits.",
    },
    ({ context, bearer }, said) => takeHostReport(context, bearer, said),
  ),
  ofHosts(
    {
      ...{ path: "/looks", name: "apiBenchLook", body: hostLookSchema, answer: z.null() },
      summary: "What a bench host read on a device in one of its ports.",
    },
    ({ context, bearer }, said) => takeHostLook(context, bearer, said),
  ),
  ofHosts(
    {
      ...{ path: "/claims", name: "apiBenchClaim", body: claimSchema, answer: claimAnswerSchema },
      summary: "The next job of a bench host, with all that it needs; null where none waits.",
    },
    async ({ context, bearer }, said) => {
      const job = await claimForHost(context, bearer, said);
      return job.ok ? ok({ job: job.value }) : job;
    },
  ),
  ofHosts(
    {
      ...{ path: "/jobs/{id}/told", name: "apiBenchTold", body: hostTellingSchema, answer: toldAnswerSchema },
      summary: "What a bench host tells of a job that it does: how far it is, lines of its log, how it ended.",
    },
    ({ context, bearer, id }, said) => takeTelling(context, bearer, id, said),
  ),
];
