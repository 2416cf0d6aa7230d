"use client";

import {
  Area,
  CartesianGrid,
  ComposedChart,
  Line,
  ReferenceLine,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from "recharts";
import type { Growth } from "@/core/images/forecast";
import { bytesText } from "@/core/words/sizes";
import { axisDayText, TIME_AXIS } from "@/ui/time-axis";

interface Point {
  /** Milliseconds. */
  at: number;
  used?: number;
  likely?: number;
  range?: [number, number];
}

const DAY_MS = 86_400_000;
const AHEAD_DAYS = 180;

/** How full a store was, and how full it will be if it goes on like that; the table below says the same. */
export function GrowthChart({
  fills,
  growth,
  capacityBytes,
}: {
  fills: { on: string; usedBytes: number }[];
  growth: Growth | null;
  capacityBytes: number;
}) {
  const past: Point[] = fills.map(({ on, usedBytes }) => ({ at: Date.parse(`${on}T00:00:00Z`), used: usedBytes }));
  const last = fills.at(-1);
  const ahead: Point[] = [];
  if (last && growth) {
    const from = Date.parse(`${last.on}T00:00:00Z`);
    for (const days of [0, AHEAD_DAYS / 2, AHEAD_DAYS]) {
      const grown = (rate: number) => Math.max(0, Math.min(capacityBytes, last.usedBytes + Math.max(0, rate) * days));
      ahead.push({
        at: from + days * DAY_MS,
        likely: grown(growth.bytesPerDay.likely),
        range: [grown(growth.bytesPerDay.low), grown(growth.bytesPerDay.high)],
      });
    }
  }
  return (
    <div className="h-56" role="img" aria-label="Fill level, past and forecast">
      <ResponsiveContainer width="100%" height="100%">
        <ComposedChart data={[...past, ...ahead]} margin={{ top: 8, right: 12, bottom: 0, left: 8 }}>
          <CartesianGrid stroke="var(--line)" vertical={false} />
          <XAxis {...TIME_AXIS} />
          <YAxis
            tickFormatter={(bytes: number) => bytesText(bytes)}
            stroke="var(--quiet)"
            fontSize={12}
            width={70}
            domain={[0, capacityBytes]}
          />
          <Tooltip
            labelFormatter={(at) => axisDayText(Number(at))}
            formatter={(value) =>
              Array.isArray(value)
                ? value.map((each) => bytesText(Number(each))).join(" to ")
                : bytesText(Number(value))
            }
          />
          <ReferenceLine y={capacityBytes} stroke="var(--plum)" strokeWidth={2} />
          <Area
            dataKey="range"
            name="between"
            stroke="none"
            fill="var(--slate)"
            fillOpacity={0.25}
            isAnimationActive={false}
          />
          <Line
            dataKey="used"
            name="used"
            stroke="var(--ink)"
            strokeWidth={2}
            dot={{ r: 2 }}
            isAnimationActive={false}
          />
          <Line
            dataKey="likely"
            name="likely"
            stroke="var(--ink)"
            strokeWidth={2}
            strokeDasharray="5 4"
            dot={false}
            isAnimationActive={false}
          />
        </ComposedChart>
      </ResponsiveContainer>
    </div>
  );
}
