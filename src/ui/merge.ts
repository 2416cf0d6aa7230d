export interface Merge<T> {
  values: T;
  /** Fields that both changed; the editor's own value is in `values`. */
  conflicts: { field: keyof T; theirs: T[keyof T] }[];
  /** Fields taken over from the other. */
  taken: (keyof T)[];
}

/** A three-way merge of form values: what only the other changed is taken, what the editor changed is kept. */
export function mergeForms<T extends object>(mine: T, opened: T, theirs: T): Merge<T> {
  const merge: Merge<T> = { values: { ...mine }, conflicts: [], taken: [] };
  for (const field of Object.keys(mine) as (keyof T)[]) {
    const [own, before, other] = [mine[field], opened[field], theirs[field]].map((value) => JSON.stringify(value));
    if (other === before || own === other) continue;
    if (own === before) {
      merge.values[field] = theirs[field];
      merge.taken.push(field);
    } else merge.conflicts.push({ field, theirs: theirs[field] });
  }
  return merge;
}
