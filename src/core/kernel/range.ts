/** A range of what may come: bytes, seconds or days, by what the figure is. */
export interface Range {
  low: number;
  likely: number;
  high: number;
}
