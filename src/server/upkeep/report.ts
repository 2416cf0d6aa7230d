import { and, desc, eq, gte, inArray, or } from "drizzle-orm";
import Papa from "papaparse";
import { NEEDS } from "@/core/cover/policy";
import { dayAfter, dayOf } from "@/core/kernel/days";
import { needTitle } from "@/core/words/policy";
import { consequenceText, dueReasonText, dueTitle } from "@/core/words/upkeep";
import type { Context } from "../context";
import { coverView } from "../cover/view";
import { computers, drills, events, media, sites } from "../db/schema";
import { type ReportBlock, reportPdf } from "../host/report-pdf";
import { everythingDue } from "./due";

/** Drills and changes of so many days are told. */
const BACK_DAYS = 90;
const EVENTS_MOST = 60;

interface SiteReport {
  site: string;
  on: string;
  cover: { total: number; lacking: number; byNeed: [string, number][]; spares: string };
  drills: { on: string; medium: string; computer: string; result: string }[];
  done: { on: string; who: string; what: string }[];
  open: { what: string; why: string; consequence: string }[];
}

/** How a place stands: cover, drills, what was done and what is open; null: there is no such place. */
export async function siteReport(context: Context, site: string): Promise<SiteReport | null> {
  const [place] = await context.db.select({ id: sites.id }).from(sites).where(eq(sites.name, site));
  if (!place) return null;
  const on = dayOf(context.now());
  const since = dayAfter(on, -BACK_DAYS);
  const [cover, due, itsComputers, itsMedia] = await Promise.all([
    coverView(context, { site, need: null, page: 1 }),
    everythingDue(context),
    context.db.select({ id: computers.id }).from(computers).where(eq(computers.siteId, place.id)),
    context.db.select({ id: media.id }).from(media).where(eq(media.siteId, place.id)),
  ]);
  const standing = cover.places.find(({ name }) => name === site);
  const [computerIds, mediumIds] = [itsComputers.map(({ id }) => id), itsMedia.map(({ id }) => id)];
  const [held, done] = await Promise.all([
    computerIds.length === 0
      ? []
      : context.db
          .select({ on: drills.on, medium: media.tag, computer: computers.tag, result: drills.result })
          .from(drills)
          .innerJoin(media, eq(media.id, drills.mediumId))
          .innerJoin(computers, eq(computers.id, drills.computerId))
          .where(and(inArray(drills.computerId, computerIds), gte(drills.on, since)))
          .orderBy(desc(drills.on)),
    computerIds.length + mediumIds.length === 0
      ? []
      : context.db
          .select({ at: events.at, who: events.personName, action: events.action, tag: events.entityTag })
          .from(events)
          .where(
            and(
              gte(events.at, new Date(`${since}T00:00:00Z`)),
              or(
                and(eq(events.entity, "computer"), inArray(events.entityId, [0, ...computerIds])),
                and(eq(events.entity, "medium"), inArray(events.entityId, [0, ...mediumIds])),
              ),
            ),
          )
          .orderBy(desc(events.id))
          .limit(EVENTS_MOST),
  ]);
  return {
    ...{ site, on },
    cover: {
      ...{ total: standing?.total ?? 0, lacking: standing?.lacking ?? 0 },
      byNeed: NEEDS.flatMap((need) =>
        cover.needs.includes(need) ? [[needTitle(need), standing?.byNeed[need] ?? 0]] : [],
      ),
      spares: `${standing?.spares ?? 0} of ${standing?.sparesWanted ?? 0}`,
    },
    drills: held,
    done: done.map(({ at, who, action, tag }) => ({
      on: dayOf(at),
      who,
      what: `${action} ${tag}`,
    })),
    open: due
      .filter((item) => item.site === site)
      .map((item) => ({
        ...{ what: dueTitle(item), why: dueReasonText(item.reason), consequence: consequenceText(item, on) },
      })),
  };
}

/** A report as a PDF on A4. */
export function siteReportPdf({ site, on, cover, drills: held, done, open }: SiteReport): Promise<Uint8Array> {
  const title = `Upkeep of ${site}`;
  const line = (text: string): ReportBlock => ({ kind: "line", text });
  const heading = (text: string): ReportBlock => ({ kind: "heading", text });
  const none = (text: string): ReportBlock => ({ kind: "quiet", text });
  return reportPdf(title, [
    { kind: "title", text: title },
    none(`As of ${on}.`),
    heading("Cover"),
    line(
      cover.total === 0
        ? "No computer is recorded there."
        : `${cover.total - cover.lacking} of ${cover.total} computers meet their policy.`,
    ),
    ...cover.byNeed.map(([need, lacking]) =>
      line(`${need}: ${lacking === 0 ? "nobody lacks it" : `${lacking} lack it`}`),
    ),
    line(`Blank spares: ${cover.spares}.`),
    heading("Open"),
    ...(open.length === 0 ? [none("Nothing is due.")] : []),
    ...open.flatMap(({ what, why, consequence }) => [line(what), none([why, consequence].filter(Boolean).join(" "))]),
    heading(`Drills of the last ${BACK_DAYS} days`),
    ...(held.length === 0 ? [none("None was held.")] : []),
    ...held.map((drill) => line(`${drill.on}: ${drill.medium} on ${drill.computer}, ${drill.result}`)),
    heading(`Done in the last ${BACK_DAYS} days`),
    ...(done.length === 0 ? [none("Nothing is recorded.")] : []),
    ...done.map((each) => line(`${each.on}: ${each.who} ${each.what}`)),
  ]);
}

/** The same as CSV (RFC 4180): a line for each figure, drill, change and open thing. */
export function siteReportCsv({ site, on, cover, drills: held, done, open }: SiteReport): string {
  const rows: (string | number)[][] = [
    ["part", "day", "what", "detail", "count"],
    ["cover", on, "computers", site, cover.total],
    ["cover", on, "computers that do not meet policy", site, cover.lacking],
    ...cover.byNeed.map(([need, lacking]) => ["cover", on, `not met: ${need}`, site, lacking]),
    ...held.map((drill) => ["drill", drill.on, `${drill.medium} on ${drill.computer}`, drill.result, 1]),
    ...done.map((each) => ["done", each.on, each.what, each.who, 1]),
    ...open.map(({ what, why, consequence }) => ["open", on, what, [why, consequence].filter(Boolean).join(" "), 1]),
  ];
  return `${Papa.unparse(rows, { escapeFormulae: true })}\r\n`;
}
