import type { Context } from "../context";

/** Questions about the whole fleet: what is asked with one, and what is answered, can be handed to another thread. */
const answers = new Map<string, (context: Context, asked: readonly unknown[]) => Promise<unknown>>();

export interface FleetStanding {
  /** What is told may be from before the latest changes: they are being worked in. */
  isBehind: boolean;
  /** Milliseconds since an answer from before the latest changes was last given; null where none was. */
  olderAgoMs: number | null;
}

/** Who answers questions about the fleet in this thread's stead, or remembers what was answered. */
export interface Desk {
  ask(context: Context, question: string, asked: readonly unknown[], isRemembered?: boolean): Promise<unknown>;
  standing(): FleetStanding;
}

// The server's parts are bundled apart from each other, and there is one desk for all of them.
const desks = globalThis as typeof globalThis & { creelDesk?: Desk | undefined };

export function setDesk(desk: Desk | undefined): void {
  desks.creelDesk = desk;
}

/** Whether what is told of the fleet is, or was lately, from before the latest changes. */
export function fleetStanding(): FleetStanding {
  return desks.creelDesk?.standing() ?? { isBehind: false, olderAgoMs: null };
}

/**
 * Makes a function that takes the whole fleet to answer into one that a server answers in another thread, once for each
 * revision of the database; without a server it is answered at once. `question`: its name, which no other one has.
 * `isRemembered`: false for what is large, and asked once.
 */
export function asked<Asked extends unknown[], T>(
  question: string,
  answer: (context: Context, ...asked: Asked) => Promise<T>,
  isRemembered = true,
): (context: Context, ...asked: Asked) => Promise<T> {
  answers.set(question, (context, given) => answer(context, ...(given as Asked)));
  return (context, ...withIt) => {
    const desk = desks.creelDesk;
    return desk ? (desk.ask(context, question, withIt, isRemembered) as Promise<T>) : answer(context, ...withIt);
  };
}

/** Answers a question in this thread. Throws where there is none of that name: its module was not loaded. */
export function answerHere(context: Context, question: string, asked: readonly unknown[]): Promise<unknown> {
  const answer = answers.get(question);
  if (!answer) throw new Error(`Nobody here answers "${question}".`);
  return answer(context, asked);
}
