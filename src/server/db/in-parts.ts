/** Lets others have their turn: long work must not hold up pages, nor the database wait for the next statement. */
const breathe = () => new Promise<void>((resolve) => setImmediate(resolve));
const THINGS_A_BREATH = 10;

interface Stages<Thing, Read, Write> {
  /** What is kept of the things of a part. */
  read: (part: Thing[]) => Promise<Read>;
  /** What one thing comes to. */
  workOut: (thing: Thing, read: Read) => Write[];
  /** Writes what a part came to; `done`: how many things of all were worked out before this part. */
  write: (writes: Write[], done: number) => Promise<void>;
}

/**
 * Goes through many things in parts of `size`, on one connection: while the database writes one part, the next one is
 * read and worked out, so that neither waits for the other. No part may be about what an earlier one writes. When it
 * ends, by whatever, nothing is under way on the connection.
 */
export async function inParts<Thing, Read, Write>(
  things: readonly Thing[],
  size: number,
  { read, workOut, write }: Stages<Thing, Read, Write>,
): Promise<void> {
  const readFrom = (at: number) => (at < things.length ? read(things.slice(at, at + size)) : null);
  let writing: Promise<void> = Promise.resolve();
  let reading = readFrom(0);
  try {
    for (let at = 0; reading; at += size) {
      const kept = await reading;
      reading = readFrom(at + size);
      const writes: Write[] = [];
      for (const [index, thing] of things.slice(at, at + size).entries()) {
        writes.push(...workOut(thing, kept));
        if (index % THINGS_A_BREATH === 0) await breathe();
      }
      await writing;
      writing = write(writes, at);
    }
    await writing;
  } finally {
    await Promise.allSettled([writing, reading]);
  }
}
