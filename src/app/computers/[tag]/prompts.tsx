import Link from "next/link";
import { imageDueText } from "@/core/words/images";
import { standingLackText } from "@/core/words/policy";
import { openCalloutOf } from "@/server/callouts/callouts";
import type { Context } from "@/server/context";
import { standingOfComputer } from "@/server/cover/view";
import { imageDueOf } from "@/server/images/image-due";
import type { ComputerDetail } from "@/server/inventory/computers";

/** What is to be done while the computer runs well: an image where one is due, a medium where its policy lacks one. */
export async function Prompts({ context, detail: { row, siteName } }: { context: Context; detail: ComputerDetail }) {
  if (row.retiredAt) return null;
  const { id, tag, form, make, model } = row;
  const [callout, due, standing] = await Promise.all([
    openCalloutOf(context, id),
    imageDueOf(context, id, { tag, site: siteName, form, make, model }),
    standingOfComputer(context, tag),
  ]);
  if (callout !== null)
    return (
      <p className="mt-4 border-plum border-l-4 bg-plum-soft px-3 py-2">
        Down now.{" "}
        <Link prefetch={false} className="link" href={`/callouts/${callout}`}>
          Open its call-out
        </Link>
      </p>
    );
  const lacking = standing?.needs.filter((need) => need.have.length < need.wanted) ?? [];
  const [lack] = lacking;
  if (!due && !lack) return null;
  const of = encodeURIComponent(tag);
  return (
    <section aria-label="While it runs well" className="mt-4 border-rope border-l-4 bg-rope-soft px-3 py-2">
      <h2>While it runs well</h2>
      <ul className="mt-1 space-y-1.5">
        {due && (
          <li className="flex flex-wrap items-baseline justify-between gap-x-4">
            <span>{due.reasons.map(imageDueText).join(" ")}</span>
            <Link prefetch={false} className="link" href={`/images/take?computer=${of}`}>
              Take image
            </Link>
          </li>
        )}
        {lack && (
          <li className="flex flex-wrap items-baseline justify-between gap-x-4">
            <span>{standingLackText({ ...lack, have: lack.have.length })}</span>
            <Link
              prefetch={false}
              className="link"
              href={
                lack.unproven[0]
                  ? `/drills/new?${new URLSearchParams({ medium: lack.unproven[0], computer: tag })}`
                  : `/bench/make?tags=${of}`
              }
            >
              {lack.unproven[0] ? "Record a drill" : "Make a medium"}
            </Link>
          </li>
        )}
      </ul>
    </section>
  );
}
