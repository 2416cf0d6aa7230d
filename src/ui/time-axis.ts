import { dayOf } from "@/core/kernel/days";
import { dayText } from "@/core/words/dates";

/** The ISO day of a time in milliseconds, as charts have it. */
export function axisDay(time: number): string {
  return dayOf(new Date(time));
}

/** The same as people read it. */
export function axisDayText(time: number): string {
  return dayText(axisDay(time));
}

/** An axis of days for points that have their time `at`, in milliseconds; spread onto a chart's axis. */
export const TIME_AXIS = {
  dataKey: "at",
  type: "number",
  scale: "time",
  domain: ["dataMin", "dataMax"],
  tickFormatter: axisDayText,
  stroke: "var(--quiet)",
  fontSize: 12,
  minTickGap: 50,
} as const;
