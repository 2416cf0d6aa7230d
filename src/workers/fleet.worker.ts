import { parentPort, workerData } from "node:worker_threads";
import { expose } from "comlink";
import nodeEndpoint from "comlink/dist/esm/node-adapter.mjs";
import { LRUCache } from "lru-cache";
import { dayOf } from "@/core/kernel/days";
import { ownContext } from "@/server/context";
import { database } from "@/server/db/client";
import { answerHere, type Desk, type FleetStanding, setDesk } from "@/server/fleet/asked";
import type { Answered, FleetData, FleetThread, Question } from "@/server/fleet/desk";
import { keepOn, standsAt } from "@/server/fleet/fleet";
import { keepAnswer } from "@/server/fleet/kept-answers";
import { log } from "@/server/log";
import "@/server/work/questions";

/** Answers that are worth keeping for the next start took so long; so many of each revision. */
const KEPT_FROM_MS = 100;
const KEPT_MOST = 50;
const REMEMBERED = 400;

/** Remembers what was answered of one revision: also what one answer needs of another one. */
class Remembering implements Desk {
  private readonly answers = new LRUCache<string, Promise<unknown>>({ max: REMEMBERED });
  private of = "";
  /** How many of them were kept for the next start. */
  kept = 0;

  /** Forgets what was answered of anything else. */
  moveTo(of: string): void {
    if (of === this.of) return;
    this.of = of;
    this.kept = 0;
    this.answers.clear();
  }

  ask(...[context, question, asked, isRemembered = true]: Parameters<Desk["ask"]>): Promise<unknown> {
    if (!isRemembered) return answerHere(context, question, asked);
    const key = JSON.stringify([question, asked]);
    const answer = this.answers.get(key) ?? answerHere(context, question, asked);
    this.answers.set(key, answer);
    answer.catch(() => this.answers.delete(key));
    return answer;
  }

  standing(): FleetStanding {
    return { isBehind: false, olderAgoMs: null };
  }
}

const db = database();
const desk = new Remembering();
setDesk(desk);
keepOn(db, (workerData as FleetData).quickMs);

const thread: FleetThread = {
  async prepare(now: Date) {
    return (await standsAt(ownContext(db, () => now))).revision;
  },
  async answer({ question, asked, now, revision, isRemembered }: Question): Promise<Answered> {
    const context = ownContext(db, () => now);
    const stands = await standsAt(context);
    desk.moveTo(`${stands.revision} ${Math.max(stands.revision, revision)} ${dayOf(now)}`);
    const start = performance.now();
    const value = await desk.ask(context, question, asked, isRemembered);
    const answered: Answered = { value, revision: stands.revision, day: stands.day };
    const isNow = stands.revision >= revision && stands.day === dayOf(now);
    if (isNow && isRemembered && performance.now() - start > KEPT_FROM_MS && desk.kept++ < KEPT_MOST)
      // Nobody waits for it, and nobody misses it.
      keepAnswer(db, { question, asked, day: dayOf(now) }, answered).catch((error: unknown) =>
        log.warn({ err: error, question }, "an answer about the fleet could not be kept"),
      );
    return answered;
  },
};

if (parentPort) expose(thread, nodeEndpoint(parentPort));
