import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import { PrintButton } from "@/app/_parts/print-button";
import type { ComputerEffect } from "@/core/fleet/rehearsal";
import { bestText, changedText, rehearsalText } from "@/core/words/rehearsal";
import { playRehearsal } from "@/server/fleet/rehearsals";
import { ChainLink } from "@/ui/chain";
import { plural, tagsText, timeText, zonedTimeText } from "@/ui/words";
import { currentContext } from "../../../_lib/context";

export const metadata: Metadata = { title: "What if" };

/** Rows that are listed; the rest is counted. */
const LISTED = 200;

export default async function Played({ params }: { params: Promise<{ id: string }> }) {
  const context = await currentContext();
  const played = await playRehearsal(context, Number((await params).id) || 0);
  if (!played) notFound();
  const { item, change, result } = played;
  const { effects } = result;
  return (
    <article>
      <p className="print:hidden">
        <Link prefetch={false} className="link" href="/chains/rehearsals">
          What-if
        </Link>
      </p>
      <header className="flex flex-wrap items-start justify-between gap-3">
        <h1>{changedText(change)}</h1>
        {effects.length > 0 && <PrintButton />}
      </header>
      <p className="mt-1 text-lg">{rehearsalText(result)}</p>
      <p className="caption">
        Run against the inventory of {zonedTimeText(context.now())}; saved by {item.personName},{" "}
        {timeText(item.createdAt)}. The inventory is unchanged.
      </p>
      {effects.length > 0 && (
        <table className="mt-4 w-full border-collapse text-[0.95rem]">
          <thead>
            <tr className="border-line border-b text-left">
              <th scope="col" className="py-1 pr-3">
                Computer
              </th>
              <th scope="col" className="py-1 pr-3">
                Best chain now
              </th>
              <th scope="col" className="py-1 pr-3">
                and then
              </th>
              <th scope="col" className="py-1 pr-3">
                Gets worse
              </th>
              <th scope="col" className="py-1">
                Gets better
              </th>
            </tr>
          </thead>
          <tbody className="divide-y divide-line border-line border-b">
            {effects.slice(0, LISTED).map((effect) => (
              <tr key={effect.tag} className="align-baseline">
                <th scope="row" className="py-1 pr-3 text-left font-normal">
                  <Link
                    prefetch={false}
                    className="code font-bold"
                    href={`/computers/${encodeURIComponent(effect.tag)}`}
                  >
                    {effect.tag}
                  </Link>{" "}
                  <span className="text-quiet">{effect.site}</span>
                </th>
                <td className="py-1 pr-3">
                  <Best of={effect.before} />
                </td>
                <td className="py-1 pr-3">
                  <Best of={effect.after} />
                  {effect.lost && <strong className="block text-plum">no route left: prepare one first</strong>}
                </td>
                <td className="code py-1 pr-3">{tagsText(effect.worse)}</td>
                <td className="code py-1">{tagsText(effect.better)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {effects.length > LISTED && (
        <p className="caption mt-1">and {plural(effects.length - LISTED, "more computer")}</p>
      )}
    </article>
  );
}

function Best({ of }: { of: ComputerEffect["before"] }) {
  return (
    <span className="whitespace-nowrap">
      <ChainLink verdict={of.verdict} height={13} /> {bestText(of)}
    </span>
  );
}
