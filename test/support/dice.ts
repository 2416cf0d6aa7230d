/** A repeatable row of whole numbers below n (a linear congruential generator): the same seed, the same row. */
export function dice(seed: number): (n: number) => number {
  let state = seed >>> 0;
  return (n) => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return Math.floor((state / 2 ** 32) * n);
  };
}

/** Some bytes changed, and sometimes the end cut off. */
export function damaged(bytes: Uint8Array, roll: (n: number) => number): Uint8Array {
  const result = Uint8Array.from(bytes);
  for (let change = 0; change <= roll(6); change++) result[roll(result.length)] = roll(256);
  return roll(3) === 0 ? result.slice(0, roll(result.length)) : result;
}
