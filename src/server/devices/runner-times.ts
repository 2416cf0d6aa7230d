/** Milliseconds. */
export interface RunnerTimes {
  /** A runner that has not been heard of for so long is gone: what it was at is interrupted. */
  silentAfter: number;
  /** It holds its job for so long after a word of it, by its own clock: less than until it is taken for silent. */
  held: number;
  tellEvery: number;
  /** Whether its computer may fall asleep, which its own clock does not notice: then the clock on the wall counts, too. */
  sleeps?: boolean;
}

export const USUAL_TIMES: RunnerTimes = { silentAfter: 15_000, held: 13_000, tellEvery: 500 };

/** Thrown where a job is another runner's by now: nothing more is written. */
export class RunnerGone extends Error {}
