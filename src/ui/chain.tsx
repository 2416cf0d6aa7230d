"use client";

import clsx from "clsx";
import { LINK_NAMES, type LinkName, type Verdict } from "@/core/judging/model/schema";
import { linkTitle, verdictText } from "@/core/words/reasons";
import { standingText } from "@/core/words/routes";

/**
 * The chain glyph: five links in order. A closed link holds, one with a notch holds after a change, an open one is
 * broken, a dashed outline is unknown. The shape says it; colour only helps.
 */
const W = 24;
const H = 14;
const R = 7;
const STEP = 20;

const PATHS: Record<Verdict, string> = {
  holds: `M ${R} 0 H ${W - R} A ${R} ${R} 0 0 1 ${W - R} ${H} H ${R} A ${R} ${R} 0 0 1 ${R} 0 Z`,
  "holds-after-change": `M ${R} 0 H ${W / 2 - 4} L ${W / 2} 5.5 L ${W / 2 + 4} 0 H ${W - R} A ${R} ${R} 0 0 1 ${W - R} ${H} H ${R} A ${R} ${R} 0 0 1 ${R} 0 Z`,
  broken: `M ${W * 0.58} 0 H ${R} A ${R} ${R} 0 0 0 ${R} ${H} H ${W * 0.34}`,
  unknown: `M ${R} 0 H ${W - R} A ${R} ${R} 0 0 1 ${W - R} ${H} H ${R} A ${R} ${R} 0 0 1 ${R} 0 Z`,
};

const TONES: Record<Verdict, string> = {
  holds: "text-sea",
  "holds-after-change": "text-sea",
  broken: "text-plum",
  unknown: "text-slate",
};

function LinkShape({ verdict, x }: { verdict: Verdict; x: number }) {
  return (
    <path
      d={PATHS[verdict]}
      transform={`translate(${x} 0)`}
      className={TONES[verdict]}
      fill="none"
      stroke="currentColor"
      strokeWidth={verdict === "unknown" ? 1.6 : 2.6}
      strokeLinecap="round"
      strokeLinejoin="round"
      strokeDasharray={verdict === "unknown" ? "2 3.4" : undefined}
    />
  );
}

function sentence(links: Record<LinkName, Verdict>): string {
  return LINK_NAMES.map((name) => `${linkTitle(name)} ${verdictText(links[name])}`).join(", ");
}

/** All five links, small enough for a table cell. */
export function Chain({ links, height = 16 }: { links: Record<LinkName, Verdict>; height?: number }) {
  const width = STEP * 4 + W;
  return (
    <svg
      role="img"
      aria-label={sentence(links)}
      viewBox={`-2 -2 ${width + 4} ${H + 4}`}
      height={height}
      width={((width + 4) / (H + 4)) * height}
      className="shrink-0"
    >
      <title>{sentence(links)}</title>
      {LINK_NAMES.map((name, index) => (
        <LinkShape key={name} verdict={links[name]} x={index * STEP} />
      ))}
    </svg>
  );
}

/** What a computer's surest route comes to, for lists: its chain, and how many media bring it back. */
export function CoverChain({
  cover: { verdict, links, ways },
  withCount = true,
}: {
  cover: { verdict: Verdict | "none"; links: Record<LinkName, Verdict> | null; ways: number };
  withCount?: boolean;
}) {
  if (!links) return <span className="text-quiet">{standingText(verdict)}</span>;
  return (
    <span className="inline-flex items-center gap-2">
      <Chain links={links} height={13} />
      {withCount && ways > 0 && (
        <span className="caption tabular-nums">{ways === 1 ? "1 medium" : `${ways} media`}</span>
      )}
    </span>
  );
}

/** One link of the chain, for lists about one of the five. */
export function ChainLink({ verdict, height = 16, label }: { verdict: Verdict; height?: number; label?: string }) {
  const text = label ?? verdictText(verdict);
  return (
    <svg
      role="img"
      aria-label={text}
      viewBox={`-2 -2 ${W + 4} ${H + 4}`}
      height={height}
      width={((W + 4) / (H + 4)) * height}
      className="inline-block shrink-0 align-[-0.15em]"
    >
      <title>{text}</title>
      <LinkShape verdict={verdict} x={0} />
    </svg>
  );
}

/** What the shapes and the numbers of links mean, wherever chains first appear. */
export function ChainLegend() {
  const shapes: Record<Verdict, string> = {
    holds: "Closed: holds",
    "holds-after-change": "Notched: holds after a change",
    broken: "Open: broken",
    unknown: "Dashed: unknown",
  };
  return (
    <p className="caption flex flex-wrap items-center gap-x-4 gap-y-1">
      {(Object.entries(shapes) as [Verdict, string][]).map(([verdict, text]) => (
        <span key={verdict} className="inline-flex items-center gap-1.5">
          <ChainLink verdict={verdict} height={12} label={text} />
          {text}
        </span>
      ))}
      <span>{LINK_NAMES.map((name, at) => `${at + 1} ${linkTitle(name)}`).join(" · ")}</span>
    </p>
  );
}

/** The chain at the head of a page, each link above its name and what it comes to. */
export function ChainHead({ links }: { links: Record<LinkName, Verdict> }) {
  return (
    <ol className="grid grid-cols-5" aria-label={sentence(links)}>
      {LINK_NAMES.map((name) => (
        <li key={name} className="min-w-0 pr-2">
          <ChainLink verdict={links[name]} height={22} label={`${linkTitle(name)}: ${verdictText(links[name])}`} />
          <div className="font-semibold">{linkTitle(name)}</div>
          <div className={clsx("text-[0.8rem]", TONES[links[name]])}>{verdictText(links[name])}</div>
        </li>
      ))}
    </ol>
  );
}
