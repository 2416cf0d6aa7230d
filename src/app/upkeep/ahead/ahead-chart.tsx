"use client";

import { useRouter } from "next/navigation";
import {
  CartesianGrid,
  ComposedChart,
  Legend,
  Line,
  ReferenceLine,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from "recharts";
import { LACK_CAUSES, type LackCause } from "@/core/upkeep/causes";
import type { AheadView } from "@/server/upkeep/ahead";
import { axisDay, axisDayText, TIME_AXIS } from "@/ui/time-axis";

interface Point {
  at: number;
  on: string;
  was?: number;
  met?: number;
  planned?: number | null;
}

const at = (on: string) => Date.parse(`${on}T00:00:00Z`);

/** Goes to who lacks something on the day of a point. */
function useDay(site: string | null): (state: { activeLabel?: string | number | undefined }) => void {
  const router = useRouter();
  return ({ activeLabel }) => {
    if (activeLabel === undefined) return;
    const query = new URLSearchParams({ day: axisDay(Number(activeLabel)), ...(site ? { site } : {}) });
    router.push(`/upkeep/ahead?${query}#lacking`, { scroll: false });
  };
}

/** How many computers have what is asked, before today and for a year; the table below says the same. */
export function AheadChart({
  view: { ahead, past, total, today },
  site,
}: {
  view: AheadView;
  /** The place that it is of; null: all. */
  site: string | null;
}) {
  const toDay = useDay(site);
  const points: Point[] = [
    ...past.filter(({ on }) => on < today).map(({ on, met }) => ({ at: at(on), on, was: met })),
    ...ahead.map(({ on, met, planned }, nth) => ({ at: at(on), on, met, planned, ...(nth === 0 ? { was: met } : {}) })),
  ];
  const hasPlan = ahead.some(({ planned }) => planned !== null);
  return (
    <div className="mt-1 h-72" role="img" aria-label="Computers that meet their policy, by day">
      <ResponsiveContainer width="100%" height="100%">
        <ComposedChart
          data={points}
          margin={{ top: 8, right: 12, bottom: 0, left: 0 }}
          onClick={toDay}
          className="cursor-pointer"
        >
          <CartesianGrid stroke="var(--line)" vertical={false} />
          <XAxis {...TIME_AXIS} />
          <YAxis stroke="var(--quiet)" fontSize={12} width={44} domain={[0, total]} allowDecimals={false} />
          <Tooltip labelFormatter={(time) => axisDayText(Number(time))} />
          <ReferenceLine x={at(today)} stroke="var(--quiet)" strokeDasharray="2 3" />
          <Line
            dataKey="was"
            name="as it was"
            stroke="var(--slate)"
            strokeWidth={2}
            dot={false}
            isAnimationActive={false}
          />
          <Line
            dataKey="met"
            name="if nothing is done"
            type="stepAfter"
            stroke="var(--ink)"
            strokeWidth={2}
            dot={{ r: 2 }}
            activeDot={{ r: 5 }}
            isAnimationActive={false}
          />
          {hasPlan && (
            <Line
              dataKey="planned"
              name="with the accepted plan"
              type="stepAfter"
              stroke="var(--ink)"
              strokeWidth={2}
              strokeDasharray="5 4"
              dot={false}
              isAnimationActive={false}
            />
          )}
        </ComposedChart>
      </ResponsiveContainer>
    </div>
  );
}

/** Told apart without colour: by dashes, and by how dark they are. */
const STROKES = [
  { stroke: "var(--ink)", strokeDasharray: undefined },
  { stroke: "var(--ink)", strokeDasharray: "7 4" },
  { stroke: "var(--ink)", strokeDasharray: "2 3" },
  { stroke: "var(--quiet)", strokeDasharray: undefined },
  { stroke: "var(--quiet)", strokeDasharray: "7 4" },
  { stroke: "var(--quiet)", strokeDasharray: "2 3" },
  { stroke: "var(--ink)", strokeDasharray: "9 3 2 3" },
  { stroke: "var(--quiet)", strokeDasharray: "9 3 2 3" },
] as const;

/** How many computers lack something, a line for each link that fails them; the table below says the same. */
export function LinkChart({
  view: { ahead, byCause },
  site,
  titles,
}: {
  view: AheadView;
  site: string | null;
  titles: Record<LackCause, string>;
}) {
  const toDay = useDay(site);
  const points = ahead.map(({ on }, nth) => ({
    at: at(on),
    ...Object.fromEntries(byCause.map(({ cause, count }) => [cause, count[nth]])),
  }));
  return (
    <div className="mt-1 h-72" role="img" aria-label="Computers that miss their policy, by link and day">
      <ResponsiveContainer width="100%" height="100%">
        <ComposedChart
          data={points}
          margin={{ top: 8, right: 12, bottom: 0, left: 0 }}
          onClick={toDay}
          className="cursor-pointer"
        >
          <CartesianGrid stroke="var(--line)" vertical={false} />
          <XAxis {...TIME_AXIS} />
          <YAxis stroke="var(--quiet)" fontSize={12} width={44} allowDecimals={false} />
          <Tooltip labelFormatter={(time) => axisDayText(Number(time))} />
          <Legend
            align="left"
            itemSorter={null}
            iconType="plainline"
            iconSize={26}
            wrapperStyle={{ fontSize: 13, paddingLeft: 44 }}
          />
          {byCause.map(({ cause }) => (
            <Line
              key={cause}
              dataKey={cause}
              name={titles[cause]}
              type="stepAfter"
              {...STROKES[LACK_CAUSES.indexOf(cause)]}
              strokeWidth={2}
              dot={false}
              activeDot={{ r: 4 }}
              isAnimationActive={false}
            />
          ))}
        </ComposedChart>
      </ResponsiveContainer>
    </div>
  );
}
