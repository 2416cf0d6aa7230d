"use client";

import { CartesianGrid, ResponsiveContainer, Scatter, ScatterChart, XAxis, YAxis } from "recharts";
import type { OutcomeKind } from "@/core/judging/routes/outcome";
import { calloutOutcomeText } from "@/core/words/callout";

/** From so many on a picture says more than the list below it. */
const ENOUGH = 5;

/** How long it took until computers were handed back, a point for each, by what they came back as. */
export function TimesChart({ points }: { points: { outcome: string; minutes: number }[] }) {
  if (points.length < ENOUGH) return null;
  const rows = points.map(({ outcome, minutes }) => ({ name: calloutOutcomeText(outcome as OutcomeKind), minutes }));
  return (
    <div className="h-44 max-w-3xl" role="img" aria-label="Minutes until handed back, by outcome">
      <ResponsiveContainer width="100%" height="100%">
        <ScatterChart margin={{ top: 8, right: 16, bottom: 0, left: 40 }}>
          <CartesianGrid stroke="var(--line)" horizontal={false} />
          <XAxis dataKey="minutes" type="number" unit=" min" stroke="var(--quiet)" fontSize={12} />
          <YAxis
            dataKey="name"
            type="category"
            allowDuplicatedCategory={false}
            stroke="var(--quiet)"
            fontSize={12}
            width={150}
          />
          <Scatter data={rows} fill="var(--ink)" isAnimationActive={false} />
        </ScatterChart>
      </ResponsiveContainer>
    </div>
  );
}
