import { calendarFeed } from "@/server/upkeep/feed";
import { route } from "../../_lib/guard";

/** What is due as a calendar, for subscribing: `?site=` or `?person=` by name. */
export const GET = route("readCalendar", "reader", async ({ request, context }) => {
  const query = new URL(request.url).searchParams;
  const feed = await calendarFeed(context, {
    site: query.get("site") || null,
    person: query.get("person") || null,
  });
  return new Response(feed, {
    headers: { "content-type": "text/calendar; charset=utf-8", "cache-control": "no-store" },
  });
});
