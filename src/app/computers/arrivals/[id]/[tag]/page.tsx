import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import { rowId } from "@/app/_lib/guard";
import type { Facts } from "@/core/computer/facts/schema";
import { visible } from "@/core/words/visible";
import { compareArrival } from "@/server/arrivals/arrivals";
import { factDifferences } from "@/ui/fact-differences";
import { plural, zonedTimeText } from "@/ui/words";
import { currentContext } from "../../../../_lib/context";
import { ComputersNav } from "../../../nav";

export const metadata: Metadata = { title: "Compare facts" };

interface Props {
  params: Promise<{ id: string; tag: string }>;
}

/** Facts as the event log would have them. */
function fieldsOf({ computer: { make, model, serial, form }, ...groups }: Facts): Record<string, unknown> {
  return { make, model, serial, form, ...groups };
}

/** All that a computer that waits reported, beside what is recorded of one that it may be. */
export default async function Compare({ params }: Props) {
  const [context, { id, tag }] = await Promise.all([currentContext(), params]);
  const compared = await compareArrival(context, rowId(id), decodeURIComponent(tag));
  if (!compared.ok) notFound();
  const { row, reported, recorded } = compared.value;
  const own = recorded.row.tag;
  // What the report says nothing of is no difference.
  const differences = factDifferences(fieldsOf(recorded.facts), fieldsOf(reported), () => "").filter(
    ({ after }) => after !== "not recorded",
  );
  return (
    <>
      <ComputersNav here="/computers/arrivals" />
      <h1>
        Reported computer and {own}
        {recorded.row.name && `, ${visible(recorded.row.name)}`}
      </h1>
      <p className="mt-1 max-w-3xl text-quiet">
        {plural(row.reports, "report")}, last {zonedTimeText(row.lastAt)}.{" "}
        {differences.length === 0
          ? "All reported facts match."
          : `${plural(differences.length, "fact")} differ. The others match, or were not reported.`}{" "}
        <Link prefetch={false} className="link" href="/computers/arrivals">
          Arrivals
        </Link>
      </p>
      {differences.length > 0 && (
        <div className="mt-3 overflow-x-auto">
          <table className="w-full max-w-4xl text-left">
            <thead className="caption">
              <tr>
                <th className="py-1 pr-4 font-normal">Fact</th>
                <th className="py-1 pr-4 font-normal">Reported</th>
                <th className="py-1 font-normal">{own}</th>
              </tr>
            </thead>
            <tbody className="divide-y divide-line border-line border-y">
              {differences.map(({ title, before, after }) => (
                <tr key={title} className="align-top">
                  <th scope="row" className="py-1 pr-4 font-normal text-quiet">
                    {title}
                  </th>
                  <td className="py-1 pr-4">{after}</td>
                  <td className="py-1">{before}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </>
  );
}
