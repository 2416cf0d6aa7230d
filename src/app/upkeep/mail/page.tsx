import type { Metadata } from "next";
import Link from "next/link";
import { isEnough } from "@/server/accounts/roles";
import { outboxFiles } from "@/server/host/mailer";
import { listAudiences } from "@/server/upkeep/addresses";
import { lastDigest } from "@/server/upkeep/digests";
import { zonedTimeText } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { UpkeepNav } from "../nav";
import { CalendarAddress } from "./calendar-address";
import { MailAddress } from "./mail-address";
import { SendDigests } from "./send-digests";

export const metadata: Metadata = { title: "Calendars and mail" };

/** What Creel tells by itself: calendars to subscribe to, digests by mail, reports of places. */
export default async function Told() {
  const context = await currentContext();
  const [audiences, files, last] = await Promise.all([listAudiences(context), outboxFiles(), lastDigest(context)]);
  const sites = audiences.filter(({ kind }) => kind === "site");
  const staff = audiences.filter(({ kind }) => kind === "person");
  const mayMake = isEnough(context.account.role, "technician");
  return (
    <>
      <UpkeepNav here="/upkeep/mail" />
      <h1>Calendars and mail</h1>
      <div className="mt-3 grid gap-x-10 gap-y-6 xl:grid-cols-2">
        <section>
          <h2>By site</h2>
          {sites.length === 0 && <p className="text-quiet">No site yet.</p>}
          <ul className="mt-1 divide-y divide-line border-line border-y">
            {sites.map(({ id, name, mail }) => (
              <li key={id} className="flex flex-wrap justify-between gap-x-3 py-1.5">
                <span>
                  <span className="font-semibold">{name}</span>
                  <MailAddress kind="site" id={id} name={name} mail={mail} />
                </span>
                <span className="flex gap-3">
                  {mayMake && <CalendarAddress name={name} siteId={id} />}
                  <a className="link" href={`/upkeep/report?${new URLSearchParams({ site: name })}`}>
                    Report (PDF)
                  </a>
                  <a className="link" href={`/upkeep/report?${new URLSearchParams({ site: name, form: "csv" })}`}>
                    CSV
                  </a>
                </span>
              </li>
            ))}
          </ul>
          <h2 className="mt-5">By person</h2>
          <ul className="mt-1 divide-y divide-line border-line border-y">
            {staff.map(({ id, name, mail }) => (
              <li key={id} className="flex flex-wrap justify-between gap-x-3 py-1.5">
                <span>
                  <span className="font-semibold">{name}</span>
                  <MailAddress kind="person" id={id} name={name} mail={mail} />
                </span>
                {mayMake && <CalendarAddress name={name} ofPersonId={id} />}
              </li>
            ))}
          </ul>
          {mayMake && (
            <div className="mt-2 flex flex-wrap items-baseline gap-3">
              <span className="font-semibold">All sites</span>
              <CalendarAddress name="all sites" />
            </div>
          )}
          <p className="mt-2 text-quiet">
            Each address is a secret of its own: whoever has it reads that calendar, without signing in. It updates
            itself. An administrator ends it under Tokens. One file, without subscribing:{" "}
            <a className="link" href="/upkeep/calendar">
              calendar of all sites
            </a>
            .
          </p>
        </section>
        <section>
          <h2>Digests</h2>
          <p className="text-quiet">
            Once a day each site and person gets what changed; nothing new, no mail. Without an address the digest stays
            in the outbox. {last ? `Last on ${zonedTimeText(last)}.` : "None sent yet."}
          </p>
          <SendDigests />
          {files.length === 0 && <p className="mt-2 text-quiet">The outbox is empty.</p>}
          <ul className="mt-2 divide-y divide-line border-line border-y">
            {files.map((file) => (
              <li key={file} className="py-1">
                <Link prefetch={false} className="link code" href={`/upkeep/mail/${file}`}>
                  {file}
                </Link>
              </li>
            ))}
          </ul>
        </section>
      </div>
    </>
  );
}
