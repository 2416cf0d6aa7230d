import type { Metadata } from "next";
import Link from "next/link";
import { dayOf } from "@/core/kernel/days";
import { supportText } from "@/core/words/needs";
import { listCalendars, listSystems } from "@/server/inventory/calendars";
import { dateText, plural } from "@/ui/words";
import { currentContext } from "../_lib/context";
import { ComputersNav } from "../computers/nav";
import { CalendarForm } from "./calendar-form";

export const metadata: Metadata = { title: "Systems" };

export default async function Systems() {
  const context = await currentContext();
  const day = dayOf(context.now());
  const [systems, calendars] = await Promise.all([listSystems(context, day), listCalendars(context)]);
  return (
    <>
      <ComputersNav here="/operating-systems" />
      <div className="grid gap-8 xl:grid-cols-[minmax(0,1fr)_22rem]">
        <section>
          <h1>Systems in service</h1>
          <p className="mt-1 max-w-3xl text-quiet">
            What the computers run and until when it is supported, by imported release calendars. First to end comes
            first.
          </p>
          {systems.length === 0 && <p className="mt-4 text-quiet">No system recorded yet.</p>}
          {systems.length > 0 && (
            <table className="mt-4 w-full border-collapse" data-list>
              <caption className="sr-only">Systems, computers that run them, and support</caption>
              <thead>
                <tr className="border-line border-b text-left">
                  <th className="py-1.5 pr-4 font-semibold">System</th>
                  <th className="py-1.5 pr-4 text-right font-semibold">Computers</th>
                  <th className="py-1.5 pr-4 font-semibold">Release</th>
                  <th className="py-1.5 font-semibold">Support</th>
                </tr>
              </thead>
              <tbody>
                {systems.map(({ name, version, computers, calendar, support }) => (
                  <tr key={`${name}\n${version}`} className="border-line border-b">
                    <th scope="row" className="py-1 pr-4 text-left">
                      <Link data-item prefetch={false} href={`/computers?${new URLSearchParams({ system: name })}`}>
                        {name} {version}
                      </Link>
                    </th>
                    <td className="py-1 pr-4 text-right tabular-nums">{computers.toLocaleString("en-GB")}</td>
                    <td className="py-1 pr-4">{support?.release.codename ?? <span className="text-quiet">–</span>}</td>
                    <td className={support?.support.state === "ended" ? "py-1 font-semibold text-plum" : "py-1"}>
                      {support ? (
                        supportText(support.support, dateText)
                      ) : (
                        <span className="text-quiet italic">
                          {calendar
                            ? version
                              ? `unknown: the calendar of ${calendar} has no release ${version}`
                              : "not recorded: its version is not recorded"
                            : "not recorded: no calendar of it"}
                        </span>
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          {calendars.length > 0 && (
            <>
              <h2 className="mt-6">Calendars</h2>
              <ul className="mt-1 max-w-3xl divide-y divide-line border-line border-y">
                {calendars.map((calendar) => (
                  <li key={calendar.id} className="py-1">
                    <strong>{calendar.product}</strong>: {plural(calendar.releases.length, "release")}
                    {calendar.fileName && <span className="text-quiet"> from {calendar.fileName}</span>}
                    <span className="caption">, {dateText(calendar.updatedAt)}</span>
                  </li>
                ))}
              </ul>
            </>
          )}
        </section>
        <aside>
          <CalendarForm />
        </aside>
      </div>
    </>
  );
}
