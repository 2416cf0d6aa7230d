import { calendarFeed } from "@/server/upkeep/feed";
import { currentContext } from "../../_lib/context";

/** What is due as a calendar, for subscribing: `?site=` or `?person=` by name. */
export async function GET(request: Request): Promise<Response> {
  const query = new URL(request.url).searchParams;
  const feed = await calendarFeed(await currentContext(), {
    site: query.get("site") || null,
    person: query.get("person") || null,
  });
  return new Response(feed, {
    headers: { "content-type": "text/calendar; charset=utf-8", "cache-control": "no-store" },
  });
}
