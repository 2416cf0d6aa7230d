import { dayOf } from "@/core/kernel/days";
/** The ISO day of a time in milliseconds, as charts have it. */
export function axisDay(time: number): string {
  return dayOf(new Date(time));
}

/** An axis of days for points that have their time `at`, in milliseconds; spread onto a chart's axis. */
export const TIME_AXIS = {
  dataKey: "at",
  type: "number",
  scale: "time",
  domain: ["dataMin", "dataMax"],
  tickFormatter: axisDay,
  stroke: "var(--quiet)",
  fontSize: 12,
  minTickGap: 50,
} as const;
