import { tokenRoute } from "@/app/_lib/guard";
import { calendarFeed } from "@/server/upkeep/feed";

/** What is due, for calendar programs: the address is the secret. */
export const GET = tokenRoute<{ secret: string }>(
  "readCalendarFeed",
  "calendar",
  async ({ context, bearer }) => {
    const feed = await calendarFeed(context, {
      site: bearer.site?.name ?? null,
      person: bearer.person?.name ?? null,
    });
    return new Response(feed, { headers: { "content-type": "text/calendar; charset=utf-8" } });
  },
  ({ secret }) => secret.replace(/\.ics$/, ""),
);
