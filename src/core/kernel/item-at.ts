/**
 * The item at a position that the caller knows to be there; a position that is not is a mistake of the program.
 * Throws `RangeError`.
 */
export function itemAt<T>(list: { readonly length: number; readonly [position: number]: T }, position: number): T {
  if (position < 0 || position >= list.length) throw new RangeError(`No item ${position} of ${list.length}.`);
  return list[position] as T;
}

/** The last item of a list that is not empty. Throws `RangeError`. */
export function lastOf<T>(list: { readonly length: number; readonly [position: number]: T }): T {
  return itemAt(list, list.length - 1);
}
