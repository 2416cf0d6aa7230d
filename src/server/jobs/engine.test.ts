import { eq } from "drizzle-orm";
import { testInventory, value } from "../../../test/support/database";
import type { Context } from "../context";
import { connect } from "../db/client";
import { jobs, sites } from "../db/schema";
import { ok } from "../problems";
import { Again, Engine, type EngineTimes, type JobEnd, type JobKind, type Round, Stopped, type Work } from "./engine";
import { askOfJob, enqueue, getJobRow, linesOf, type NewJob, resumeJob } from "./jobs";

const inventory = testInventory();
/** Long enough that a busy machine keeps its words, short enough to be waited for. */
const SHORT: Partial<EngineTimes> = { leaseMs: 900, beatMs: 60, lookMs: 20 };

const pause = (ms: number) => new Promise<void>((resolve) => setTimeout(resolve, ms));
/** Waits until something is so; fails the test where it never is. */
async function until(isSo: () => boolean | Promise<boolean>): Promise<void> {
  for (let tries = 0; tries < 1500; tries++) {
    if (await isSo()) return;
    await pause(10);
  }
  throw new Error("It never came about.");
}
const queue = async (job: Partial<NewJob> = {}, context: Context = inventory.ina) =>
  value(await enqueue(context, { kind: "count", payload: {}, ...job }));
const stateOf = async (id: number) => (await getJobRow(inventory.ina, id))?.state;
const codesOf = async (id: number) => (await linesOf(inventory.ina, id)).map(({ line }) => line.code);

const made: Engine[] = [];
function engine(kinds: Record<string, JobKind>, more: ConstructorParameters<typeof Engine>[2] = {}): Engine {
  const its = new Engine(inventory.ina.db, kinds, { times: SHORT, now: inventory.ina.now, ...more });
  made.push(its);
  return its;
}
afterEach(async () => {
  await Promise.all(made.splice(0).map((each) => each.stop()));
  await inventory.ina.db.delete(jobs);
});

/** Goes on until somebody stops it. */
const endless = (began: Work[] = [], isRepeatable = true): JobKind => ({
  isRepeatable,
  run: async (work) => {
    began.push(work);
    for (;;) {
      work.check();
      await pause(5);
    }
  },
});

/** Its worker is not heard of until its lease has run out; then it stops. */
const lost = (ends: JobEnd[]): JobKind => ({
  isRepeatable: true,
  run: async (work) => {
    await until(() => !work.isHeld);
    work.check();
    return null;
  },
  ended: async (_acting, _job, end) => void ends.push(end),
});

test("what waits is done for whoever asked, and how it ended is kept with what it was about, or not at all", async () => {
  const results: JobEnd[] = [];
  const kind: JobKind = {
    isRepeatable: true,
    run: async (work) => {
      await work.say({ code: "begun" });
      work.tell("counting", 2, 3);
      return { by: work.context.person.name };
    },
    ended: async ({ db }, job, end) => {
      results.push(end);
      if ((job.payload as { fails?: boolean }).fails) throw new Error("this cannot be kept");
      await db.insert(sites).values({ name: `${job.id} ${end.state}` });
    },
  };
  const [good, bad] = [await queue({}, inventory.col), await queue({ payload: { fails: true } })];
  const its = engine({ count: kind });
  await its.look();
  await its.drain();
  expect(await getJobRow(inventory.ina, good)).toMatchObject({
    ...{ state: "done", result: null, progress: { phase: "counting", done: 2, total: 3 } },
    ...{ token: null, holds: null, attempts: 1 },
  });
  expect(results).toContainEqual({ state: "done", result: { by: "Col Marrick" } });
  expect((await getJobRow(inventory.ina, good))?.endedAt).not.toBeNull();
  expect(await codesOf(good)).toEqual(["begun"]);
  expect(await inventory.ina.db.$count(sites, eq(sites.name, `${good} done`))).toBe(1);
  // It is not told to be done where that could not be kept: its lease runs out, and it is done again.
  expect(await stateOf(bad)).toBe("running");
});

test("two processes do each job once, also with clocks that differ by an hour", async () => {
  const done: number[] = [];
  const kind: JobKind = {
    isRepeatable: true,
    run: async ({ job }) => {
      await pause(3);
      done.push(job.id);
      return null;
    },
  };
  const ids: number[] = [];
  for (let nth = 0; nth < 30; nth++) ids.push(await queue());
  const late = () => new Date(inventory.clock.now.getTime() + 3_600_000);
  const both = [engine({ count: kind }), engine({ count: kind }, { now: late })];
  for (const each of both) each.start();
  await until(async () => (await inventory.ina.db.$count(jobs, eq(jobs.state, "done"))) === ids.length);
  expect([...done].sort((a, b) => a - b)).toEqual(ids);
});

test("a worker that is not heard of loses its job: it stops before its next write, and what it would keep is not kept", async () => {
  const began: Work[] = [];
  const ends: unknown[] = [];
  const silent: JobKind = {
    isRepeatable: true,
    run: async (work) => {
      began.push(work);
      await until(() => !work.isHeld);
      expect(() => work.check()).toThrow(Stopped);
      // By the database's clock it ends a little later than the worker itself reckons.
      await until(async () => (await getJobRow(inventory.ina, work.job.id))?.token !== work.token);
      const act = work.act(async ({ db }) => {
        await db.insert(sites).values({ name: "written late" });
        return ok(null);
      });
      await expect(act).rejects.toMatchObject({ why: "lease-gone" });
      ends.push("stopped");
      return null;
    },
  };
  const id = await queue();
  // Its engine never says a word.
  const first = engine({ count: silent });
  await first.look();
  const second = engine({ count: { isRepeatable: true, run: async () => ({ by: "the second" }) } });
  await until(async () => {
    await second.look();
    return (await stateOf(id)) === "done";
  });
  await first.idle();
  expect(ends).toEqual(["stopped"]);
  expect(await getJobRow(inventory.ina, id)).toMatchObject({ result: { by: "the second" }, attempts: 2 });
  expect(await codesOf(id)).toEqual(["taken-over"]);
  expect(await inventory.ina.db.$count(sites, eq(sites.name, "written late"))).toBe(0);
});

test("one that is heard of keeps its job for longer than a lease", async () => {
  const began: Work[] = [];
  const id = await queue();
  const [its, other] = [engine({ count: endless(began) }), engine({ count: endless(began) })];
  its.start();
  other.start();
  await until(() => began.length === 1);
  await pause(2000);
  expect(began.length).toBe(1);
  expect(began[0]?.isHeld).toBe(true);
  expect(await getJobRow(inventory.ina, id)).toMatchObject({ state: "running", attempts: 1 });
});

test("one that ends keeps its job until that has stopped, however long its step takes", async () => {
  const id = await queue();
  // A busy machine keeps a lease of a few seconds, where it may lose one of a second.
  const leaseMs = 3000;
  const slow: JobKind = {
    isRepeatable: true,
    run: async (work) => {
      await until(() => work.signal.aborted);
      await pause(2 * leaseMs);
      value(
        await work.act(async (acting) => {
          await work.keepResult(acting, { made: "whole" });
          return ok(null);
        }),
      );
      return { made: "whole" };
    },
  };
  const its = engine({ count: slow }, { times: { ...SHORT, leaseMs } });
  its.start();
  await until(async () => (await stateOf(id)) === "running");
  await its.stop();
  expect(await getJobRow(inventory.ina, id)).toMatchObject({ state: "done", attempts: 1, result: { made: "whole" } });
});

test("what may not be repeated is interrupted, says so, and goes on where somebody lets it", async () => {
  const ends: JobEnd[] = [];
  const kind: JobKind = {
    isRepeatable: false,
    run: async (work) => {
      if (work.job.attempts === 1) await until(() => !work.isHeld);
      work.check();
      return { at: "last" };
    },
    ended: async (_acting, _job, end) => void ends.push(end),
  };
  const id = await queue({ holds: "berth 7" });
  const first = engine({ count: kind });
  await first.look();
  await first.idle();
  const second = engine({ count: kind });
  await until(async () => {
    await second.look();
    return (await stateOf(id)) === "interrupted";
  });
  // It still holds what it has to itself.
  expect(await enqueue(inventory.ina, { kind: "count", payload: {}, holds: "berth 7" })).toMatchObject({
    problem: { code: "taken", value: "berth 7" },
  });
  value(await resumeJob(inventory.ina, id));
  await second.look();
  await second.idle();
  expect(ends).toEqual([{ state: "interrupted" }, { state: "done", result: { at: "last" } }]);
  expect(await codesOf(id)).toEqual(["interrupted"]);
  await queue({ holds: "berth 7" });
});

test("what a worker was asked before it was lost is done: the job is cancelled, and not taken up", async () => {
  const ends: JobEnd[] = [];
  const kind = lost(ends);
  const id = await queue();
  const first = engine({ count: kind });
  await first.look();
  expect(await askOfJob(inventory.ina, id, "cancel")).toEqual({ ok: true, value: "asked" });
  await first.idle();
  const second = engine({ count: kind });
  await until(async () => {
    await second.look();
    return (await stateOf(id)) === "cancelled";
  });
  expect(ends).toEqual([{ state: "cancelled" }]);
  expect(await getJobRow(inventory.ina, id)).toMatchObject({ attempts: 1, holds: null });
});

test("what a lost worker had brought about is done, whatever was asked of it since, and however often it was tried", async () => {
  const kept: JobKind = {
    isRepeatable: true,
    run: async (work) => {
      value(
        await work.act(async (acting) => {
          await work.keepResult(acting, { made: 1 });
          return ok(null);
        }),
      );
      await until(() => !work.isHeld);
      throw new Stopped("lease-gone");
    },
  };
  const ids = [await queue(), await queue()];
  await inventory.ina.db
    .update(jobs)
    .set({ attempts: 4 })
    .where(eq(jobs.id, ids[1] ?? 0));
  const silent = engine({ count: kept });
  await silent.look();
  await until(async () => (await getJobRow(inventory.ina, ids[1] ?? 0))?.result !== null);
  await until(async () => (await getJobRow(inventory.ina, ids[0] ?? 0))?.result !== null);
  value(await askOfJob(inventory.ina, ids[0] ?? 0, "cancel"));
  await silent.idle();
  const other = engine({ count: kept });
  for (const id of ids) {
    await until(async () => {
      await other.look();
      return (await stateOf(id)) === "done";
    });
    expect(await getJobRow(inventory.ina, id)).toMatchObject({ result: { made: 1 }, failure: null });
  }
});

test("a worker is tried so often, and not for ever", async () => {
  const ends: JobEnd[] = [];
  const kind = lost(ends);
  const id = await queue();
  const its = engine({ count: kind }, { times: { ...SHORT, leaseMs: 40 } });
  await until(async () => {
    await its.look();
    await its.idle();
    return (await stateOf(id)) === "failed";
  });
  expect(await getJobRow(inventory.ina, id)).toMatchObject({ failure: "worker-gone", attempts: 5 });
  expect(ends).toEqual([{ state: "failed", failure: "worker-gone" }]);
});

describe("asked to stop", () => {
  test("what waits is cancelled at once; what runs in another process once its writer has stopped", async () => {
    const began: Work[] = [];
    let lastWrite = 0;
    const kind: JobKind = {
      isRepeatable: true,
      run: async (work) => {
        began.push(work);
        for (;;) {
          work.check();
          lastWrite = performance.now();
          await pause(5);
        }
      },
    };
    const waiting = await queue({ kind: "other" });
    expect(await askOfJob(inventory.ina, waiting, "cancel")).toEqual({ ok: true, value: "told" });
    expect(await stateOf(waiting)).toBe("cancelled");
    const id = await queue();
    engine({ count: kind }).start();
    await until(() => began.length === 1);
    expect(await askOfJob(inventory.col, id, "cancel")).toEqual({ ok: true, value: "asked" });
    let cancelledAt = 0;
    await until(async () => {
      const isOver = (await stateOf(id)) === "cancelled";
      cancelledAt = performance.now();
      return isOver;
    });
    await pause(50);
    expect(lastWrite).toBeLessThan(cancelledAt);
    expect(await askOfJob(inventory.ina, id, "cancel")).toMatchObject({ problem: { why: { code: "job-over" } } });
  });

  test("it is paused, and goes on", async () => {
    const began: Work[] = [];
    const id = await queue();
    const its = engine({ count: endless(began) });
    its.start();
    await until(() => began.length === 1);
    value(await askOfJob(inventory.ina, id, "pause"));
    await until(async () => (await stateOf(id)) === "paused");
    value(await resumeJob(inventory.ina, id));
    await until(() => began.length === 2);
  });

  test("a server that ends hands its work back: what may be repeated waits for the next, the rest is told", async () => {
    const began: Work[] = [];
    const [again, once] = [await queue(), await queue({ kind: "careful" })];
    const its = engine({ count: endless(began), careful: endless(began, false) });
    its.start();
    await until(() => began.length === 2);
    await its.stop();
    expect([await stateOf(again), await stateOf(once)]).toEqual(["queued", "interrupted"]);
  });
});

test("why it failed is told apart: no room, a fault of ours; one that cannot be done now is done later", async () => {
  const throwing = (error: Error): JobKind => ({
    isRepeatable: true,
    run: async () => {
      throw error;
    },
  });
  const kinds = {
    full: throwing(Object.assign(new Error("no space left on device"), { code: "ENOSPC" })),
    quota: throwing(new Error("copying", { cause: Object.assign(new Error("quota"), { code: "EDQUOT" }) })),
    fault: throwing(new TypeError("undefined is no function")),
    later: throwing(new Again(60_000)),
  };
  const ids = await Promise.all(Object.keys(kinds).map((kind) => queue({ kind })));
  const its = engine(kinds);
  await its.look();
  await its.drain();
  const rows = await Promise.all(ids.map((id) => getJobRow(inventory.ina, id)));
  expect(rows.map((row) => [row?.state, row?.failure])).toEqual([
    ["failed", "disk-full"],
    ["failed", "disk-full"],
    ["failed", "fault"],
    ["queued", null],
  ]);
  const wait = (rows[3]?.dueAt.getTime() ?? 0) - Date.now();
  expect(wait).toBeGreaterThan(50_000);
  expect(wait).toBeLessThan(70_000);
});

test("what comes round is done once by however many processes", async () => {
  const done: unknown[] = [];
  const rounds: Round[] = [{ kind: "count", next: (now) => ({ once: now.toISOString().slice(0, 10), dueAt: now }) }];
  const kind: JobKind = {
    isRepeatable: true,
    run: async ({ job }) => {
      done.push(job.payload);
      return null;
    },
  };
  const all = [1, 2, 3].map(() => engine({ count: kind }, { rounds }));
  await Promise.all(all.map((each) => each.look()));
  await Promise.all(all.map((each) => each.drain()));
  expect(done).toEqual([{ once: new Date().toISOString().slice(0, 10) }]);
  expect(await inventory.ina.db.$count(jobs)).toBe(1);
});

test("work of one server is done by no other; a kind that fills a processor is done one at a time", async () => {
  let [most, now] = [0, 0];
  const heavy: JobKind = {
    isRepeatable: true,
    slots: 1,
    run: async () => {
      most = Math.max(most, ++now);
      await pause(10);
      now--;
      return null;
    },
  };
  const here = await queue({ host: "bridge" });
  const others = [await queue({ kind: "heavy" }), await queue({ kind: "heavy" }), await queue({ kind: "heavy" })];
  engine({ heavy }, { host: "workshop" }).start();
  await until(async () => (await inventory.ina.db.$count(jobs, eq(jobs.state, "done"))) === others.length);
  expect(most).toBe(1);
  expect(await stateOf(here)).toBe("queued");
  const its = engine({ count: { isRepeatable: true, run: async () => null } }, { host: "bridge" });
  // Another one that looks at the same moment may hold the row: it is taken at the next look.
  await until(async () => {
    await its.look();
    return (await stateOf(here)) === "done";
  });
});

test("without its database a worker stops when its lease ends, and the job is taken up once it is back", async () => {
  const began: Work[] = [];
  const id = await queue();
  const own = connect(inventory.url);
  const cut = new Engine(own, { count: endless(began) }, { times: SHORT });
  cut.start();
  await until(() => began.length === 1);
  await own.$client.end();
  await until(() => began[0]?.isHeld === false);
  await cut.stop();
  const its = engine({ count: { isRepeatable: true, run: async () => ({ after: "all" }) } });
  await until(async () => {
    await its.look();
    return (await stateOf(id)) === "done";
  });
});

test("a database that is gone for a moment is waited for: what broke off is done again, and counts as an attempt", async () => {
  const tries: number[] = [];
  const kind: JobKind = {
    isRepeatable: true,
    run: async (work) => {
      tries.push(work.job.attempts);
      if (tries.length < 3) {
        // Its own connection is cut under it, as when the server is started anew.
        const connection = await inventory.ina.db.$client.getConnection();
        const id = connection.threadId;
        const other = connect(inventory.url);
        await other.$client.query(`KILL ${id}`);
        await other.$client.end();
        try {
          await connection.query("SELECT 1");
        } finally {
          connection.destroy();
        }
      }
      return { tries: tries.length };
    },
  };
  const id = await queue();
  engine({ count: kind }).start();
  await until(async () => (await stateOf(id)) === "done");
  expect(tries).toEqual([1, 2, 3]);
  expect(await getJobRow(inventory.ina, id)).toMatchObject({ result: { tries: 3 }, failure: null });
  // What may not be repeated is told to have broken off.
  tries.length = 0;
  const once = await queue({ kind: "once" });
  engine({ once: { ...kind, isRepeatable: false } }).start();
  await until(async () => (await stateOf(once)) === "failed");
  expect(tries).toEqual([1]);
});

test("how a job ended is kept once the database is back, within its lease", async () => {
  let refused = 3;
  const kind: JobKind = {
    isRepeatable: true,
    run: async () => ({ whole: true }),
    ended: async () => {
      if (refused-- > 0) throw Object.assign(new Error("Connection lost"), { fatal: true, code: "ECONNREFUSED" });
    },
  };
  const id = await queue();
  const its = engine({ count: kind });
  await its.look();
  await its.drain();
  expect([await stateOf(id), refused]).toEqual(["done", -1]);
  expect((await getJobRow(inventory.ina, id))?.attempts).toBe(1);
});
