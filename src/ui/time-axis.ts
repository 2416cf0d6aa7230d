/** The ISO day of a time in milliseconds, as charts have it. */
export function dayOf(time: number): string {
  return new Date(time).toISOString().slice(0, 10);
}

/** An axis of days for points that have their time `at`, in milliseconds; spread onto a chart's axis. */
export const TIME_AXIS = {
  dataKey: "at",
  type: "number",
  scale: "time",
  domain: ["dataMin", "dataMax"],
  tickFormatter: dayOf,
  stroke: "var(--quiet)",
  fontSize: 12,
  minTickGap: 50,
} as const;
