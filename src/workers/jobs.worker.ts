import { parentPort, workerData } from "node:worker_threads";
import { expose, wrap } from "comlink";
import nodeEndpoint from "comlink/dist/esm/node-adapter.mjs";
import { BenchRunner } from "@/server/bench/runner";
import { database } from "@/server/db/client";
import { setDesk } from "@/server/fleet/asked";
import { folderIdentity } from "@/server/host/folders";
import { Engine } from "@/server/jobs/engine";
import { KINDS, ROUNDS } from "@/server/work/kinds";
import type { FleetQuestions, JobsData, JobsThread } from "@/server/work/threads";

// What outlasts a request is done here, so that no page waits for it; whoever asks about the fleet asks its own thread.
const { fleet } = workerData as JobsData;
const questions = wrap<FleetQuestions>(nodeEndpoint(fleet));
setDesk({
  ask: (context, question, asked) => questions.ask(question, asked, context.now()),
  standing: () => ({ isBehind: false, olderAgoMs: null }),
});

const engine = new Engine(database(), KINDS, { rounds: ROUNDS, host: folderIdentity() });
const runner = new BenchRunner(database());
engine.start();
runner.start();

const thread: JobsThread = {
  async stop() {
    await Promise.all([runner.stop(), engine.stop()]);
  },
};
if (parentPort) expose(thread, nodeEndpoint(parentPort));
