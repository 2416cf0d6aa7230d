import Link from "next/link";
import { type MediumSize, servedBy } from "@/core/making/planning/propose";
import { alternativeText, proposedReasonText } from "@/core/words/bench";
import { leftOutText } from "@/core/words/cover";
import { bytesText } from "@/core/words/sizes";
import { COMPUTERS_MOST, type ProposalView, type ProposedMedium } from "@/server/bench/proposals";
import { ChainLink } from "@/ui/chain";
import { plural, tagsText } from "@/ui/words";
import { type Making, makeHref } from "./wish";

/** What would be made for some computers: the best first, each with whom it would and would not serve. */
export function Proposals({
  view: { computers, unknown, proposals, together, leftOut, images },
  making,
}: {
  view: ProposalView;
  making: Making;
}) {
  const [best] = proposals;
  return (
    <>
      {making.tags.length > COMPUTERS_MOST && (
        <p className="mt-2 text-plum">
          The first {COMPUTERS_MOST} of {making.tags.length.toLocaleString("en-GB")} are looked at.
        </p>
      )}
      {unknown.length > 0 && (
        <p role="alert" className="mt-3 text-plum">
          No computer in service has the tag {unknown.slice(0, 8).join(", ")}
          {unknown.length > 8 && ` or ${unknown.length - 8} more of them`}.
        </p>
      )}
      {computers.length > 0 && !best && (
        <p className="mt-4 border-plum border-l-4 bg-plum-soft px-3 py-2">
          No release in the library gives a route for{" "}
          {computers.length === 1 ? computers[0]?.tag : `any of the ${computers.length}`}, however written.
        </p>
      )}
      {together.length > 1 && (
        <p className="mt-4">
          No single medium serves all of them. <strong>{together.map(({ release }) => release).join(" and ")}</strong>{" "}
          together do.
        </p>
      )}
      <ol className="mt-2 divide-y divide-line border-line border-y">
        {proposals.slice(0, 6).map((each, at) => (
          <li key={each.releaseId} className="py-3">
            <Proposed proposal={each} of={computers.length} isFirst={at === 0} making={making} />
          </li>
        ))}
      </ol>
      {images.length > 0 && (
        <p className="mt-3">
          In the library {images.length === 1 ? "lies a file" : "lie files"} that by{" "}
          {images.length === 1 ? "its" : "their"} name {images.length === 1 ? "is" : "are"} of these computers, and can
          be added:{" "}
          {images
            .slice(0, 5)
            .map(({ name, bytes }) => `${name} (${bytesText(bytes)})`)
            .join(", ")}
          .
        </p>
      )}
      {leftOut.length > 0 && (
        <details className="mt-3 text-quiet">
          <summary className="cursor-pointer">{plural(leftOut.length, "release")} could not be read</summary>
          <ul className="mt-1 list-disc pl-5">
            {leftOut.map((each) => (
              <li key={each.release}>
                {each.release}: {leftOutText(each)}
              </li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}

function sizeText(size: MediumSize): string {
  switch (size.kind) {
    case "stick":
      return `a stick of ${bytesText(size.bytes)}`;
    case "disc":
      return `a ${size.disc.name}`;
    case "none":
      return "more than any medium on the market holds";
  }
}

function Proposed({
  proposal,
  of,
  isFirst,
  making,
}: {
  proposal: ProposedMedium;
  of: number;
  isFirst: boolean;
  making: Making;
}) {
  const { releaseId, release, way, size, neededBytes, afterChange, notServed, others } = proposal;
  const served = servedBy(proposal).length;
  const changes = new Map<string, string[]>();
  for (const proposal of afterChange) {
    const text = proposedReasonText(proposal.reason);
    changes.set(text, [...(changes.get(text) ?? []), proposal.tag]);
  }
  return (
    <>
      <h3 className="font-semibold">
        {release}, {alternativeText(way)}
      </h3>
      <p>
        {served === of
          ? of === 1
            ? "Route for it"
            : `Route for all ${of.toLocaleString("en-GB")}`
          : `Route for ${served.toLocaleString("en-GB")} of ${of.toLocaleString("en-GB")}`}
        {afterChange.length > 0 &&
          (afterChange.length === served
            ? ", after a change"
            : `, for ${afterChange.length.toLocaleString("en-GB")} of them after a change`)}
        {isFirst && of > 1 && served < of && ": none serves more"}. Requires {bytesText(neededBytes)}: {sizeText(size)}.
      </p>
      {[...changes].slice(0, 4).map(([change, tags]) => (
        <p key={change}>
          {tagsText(tags)}: {change}
        </p>
      ))}
      {others.length > 0 && (
        <p className="text-quiet">
          Written another way:{" "}
          {others.map((other) => `${alternativeText(other.way)}, for ${other.served} of ${of}`).join("; ")}.
        </p>
      )}
      {notServed.length > 0 && (
        <details className="mt-1">
          <summary className="cursor-pointer text-plum">
            Not for{" "}
            {notServed
              .slice(0, 6)
              .map((each) => each.tag)
              .join(", ")}
            {notServed.length > 6 && ` and ${notServed.length - 6} more`}
          </summary>
          <ul className="mt-1">
            {notServed.slice(0, 40).map((each) => (
              <li key={each.tag} className="grid grid-cols-[2.4rem_1fr] items-center py-0.5">
                <ChainLink verdict={each.verdict} />
                <span>
                  <Link prefetch={false} className="code font-bold" href={`/computers/${encodeURIComponent(each.tag)}`}>
                    {each.tag}
                  </Link>{" "}
                  <span className="text-quiet">{proposedReasonText(each.reason)}</span>
                </span>
              </li>
            ))}
          </ul>
        </details>
      )}
      <p className="mt-2">
        <Link
          prefetch={false}
          className={isFirst ? "act-main" : "act"}
          href={makeHref({ ...making, releaseId, besideIds: [], ...way, tag: "" })}
        >
          Use {release}
        </Link>
      </p>
    </>
  );
}
