"use client";

import { useRouter } from "next/navigation";
import {
  CartesianGrid,
  ComposedChart,
  Line,
  ReferenceLine,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from "recharts";
import type { AheadView } from "@/server/upkeep/ahead";
import { dayOf, TIME_AXIS } from "@/ui/time-axis";

interface Point {
  at: number;
  on: string;
  was?: number;
  met?: number;
  planned?: number | null;
}

/** How many computers have what is asked, before today and for a year; the table below says the same. */
export function AheadChart({ view: { ahead, past, total, today } }: { view: AheadView }) {
  const router = useRouter();
  const at = (on: string) => Date.parse(`${on}T00:00:00Z`);
  const points: Point[] = [
    ...past.filter(({ on }) => on < today).map(({ on, met }) => ({ at: at(on), on, was: met })),
    ...ahead.map(({ on, met, planned }, nth) => ({ at: at(on), on, met, planned, ...(nth === 0 ? { was: met } : {}) })),
  ];
  const hasPlan = ahead.some(({ planned }) => planned !== null);
  return (
    <div className="mt-3 h-64 max-w-4xl" role="img" aria-label="Computers that have what is asked, by day">
      <ResponsiveContainer width="100%" height="100%">
        <ComposedChart
          data={points}
          margin={{ top: 8, right: 12, bottom: 0, left: 0 }}
          onClick={({ activeLabel }) => {
            if (activeLabel !== undefined)
              router.push(`/upkeep/ahead?day=${dayOf(Number(activeLabel))}#lacking`, { scroll: false });
          }}
          className="cursor-pointer"
        >
          <CartesianGrid stroke="var(--line)" vertical={false} />
          <XAxis {...TIME_AXIS} />
          <YAxis stroke="var(--quiet)" fontSize={12} width={44} domain={[0, total]} allowDecimals={false} />
          <Tooltip labelFormatter={(time) => dayOf(Number(time))} />
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
