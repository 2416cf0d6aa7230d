import { arch, hostname, release, type } from "node:os";
import { join } from "node:path";
import { z } from "zod";
import { claimAnswerSchema, type HostJob, hostAnswerSchema } from "@/core/making/jobs/host";
import { resultText } from "@/core/words/bench";
import { visible } from "@/core/words/visible";
import { lookWith } from "@/server/devices/device";
import { RunnerGone, type RunnerTimes, USUAL_TIMES } from "@/server/devices/runner-times";
import { BenchWork } from "@/server/devices/work";
import { UsageError } from "../problems";
import { type CreelServer, ServerUnreached } from "../server/client";
import { Contents } from "./contents";
import type { InPort, Ports } from "./ports";
import { ServerDesk } from "./server-desk";

/** Of what a host and a server say to each other. */
const VERSION = "1";
const REPORT_EVERY_MS = 2_000;
const SOON_MS = 300;

export interface HostOptions {
  server: CreelServer;
  ports: Ports;
  /** What is fetched and how far jobs are: kept here. */
  folder: string;
  name?: string;
  times?: RunnerTimes;
  /** Says what happens, a sentence at a time. */
  print: (text: string) => void;
}

/** A computer whose ports are berths: tells its server what is in them, and does the jobs that are chosen there. */
export class BenchHost {
  private readonly running = new Map<string, Promise<void>>();
  private readonly contents: Contents;
  private readonly times: RunnerTimes;
  private readonly name: string;
  private isStopping = false;
  private wake: (() => void) | null = null;

  constructor(private readonly options: HostOptions) {
    this.contents = new Contents(options.server, join(options.folder, "contents"));
    this.name = (options.name ?? hostname()).slice(0, 60);
    this.times = options.times ?? { ...USUAL_TIMES, sleeps: true };
  }

  /** Works until it is stopped; what was under way then goes on at the next start. */
  async run(): Promise<void> {
    let isReached: boolean | null = null;
    while (!this.isStopping) {
      let pauseMs = REPORT_EVERY_MS;
      try {
        if (await this.step()) pauseMs = SOON_MS;
        if (isReached !== true) this.options.print("Connected. Devices in the ports now appear on the bench.");
        isReached = true;
      } catch (error) {
        if (!(error instanceof ServerUnreached)) throw error;
        if (isReached !== false) this.options.print(`${error.message} Trying again.`);
        isReached = false;
      }
      if (!this.isStopping) await this.pause(pauseMs);
    }
    await this.claiming;
    while (this.running.size > 0) await Promise.all(this.running.values());
  }

  stop(): void {
    this.isStopping = true;
    this.wake?.();
  }

  private pause(ms: number): Promise<void> {
    return new Promise((resolve) => {
      const timer = setTimeout(resolve, ms);
      this.wake = () => {
        clearTimeout(timer);
        resolve();
      };
    });
  }

  private known = new Map<string, string>();

  /** Tells what is in the ports, looks at what is new, takes up a job; gives whether one is wanted. */
  async step(): Promise<boolean> {
    const { server, ports, print } = this.options;
    const found = await ports.list();
    this.tellChanges(found);
    const report = {
      ...{ name: this.name, version: VERSION, system: `${type()} ${release()} ${arch()}`.slice(0, 120) },
      devices: found,
    };
    const answer = await server.say("/bench/report", report, hostAnswerSchema, { attempts: 1 });
    for (const { port, berth } of answer.twins)
      if (!this.known.get(`twin ${port}`)) {
        this.known.set(`twin ${port}`, berth);
        print(
          `${visible(port)}: a device of the same model, size and serial is in ${visible(berth)}. This one is not used.`,
        );
      }
    for (const port of answer.looks) {
      const there = found.find((each) => each.port === port);
      if (there && !this.running.has(port) && !this.isStopping) await this.look(there);
    }
    if (!answer.isWanted || this.isStopping || this.claiming) return false;
    // A server may take a while to put a job together: what is in the ports is told on meanwhile.
    this.claiming = this.claim().finally(() => {
      this.claiming = null;
    });
    return true;
  }

  private claiming: Promise<void> | null = null;

  private async claim(): Promise<void> {
    const { server, ports } = this.options;
    try {
      const wish = { name: this.name, busy: [...this.running.keys()] };
      const { job } = await server.say("/bench/claims", wish, claimAnswerSchema, { attempts: 1 });
      if (job && !this.isStopping) this.take(job, await ports.list());
    } catch (error) {
      // The next report tells whether the server is there at all.
      if (!(error instanceof UsageError)) throw error;
    }
  }

  private tellChanges(found: readonly InPort[]): void {
    const now = new Map(
      found.map(({ port, identity }) => [port, `${identity.model}, ${identity.serial ?? "no serial"}`]),
    );
    for (const [port, what] of now)
      if (this.known.get(port) !== what) this.options.print(`${visible(port)}: ${visible(what)}.`);
    for (const port of this.known.keys())
      if (!port.startsWith("twin ") && !now.has(port)) this.options.print(`${visible(port)}: empty.`);
    this.known = new Map([
      ...now,
      ...[...this.known].filter(([key]) => key.startsWith("twin ") && now.has(key.slice(5))),
    ]);
  }

  private async look({ port, identity }: InPort): Promise<void> {
    const look = await lookWith(() => this.options.ports.open(port, identity, { write: false }), identity);
    const sent = { name: this.name, port, identity, look };
    await this.options.server.say("/bench/looks", sent, z.null(), { attempts: 1 }).catch((error: unknown) => {
      // What is gone meanwhile is looked at when it is back.
      if (error instanceof ServerUnreached) throw error;
    });
  }

  private take(job: HostJob, found: readonly InPort[]): void {
    const { server, ports, folder, print } = this.options;
    // The port that a job names is one of those that were just looked at, whatever a server says.
    if (!found.some(({ port }) => port === job.port) || this.running.has(job.port)) return;
    print(`Job ${job.id} in ${visible(job.port)}: started.`);
    const desk = new ServerDesk(server, job, ports, this.contents, this.times);
    const own = join(folder, "jobs", String(job.id));
    const work = new BenchWork(desk, own, job.runner, this.times, () => this.isStopping)
      .run()
      .then((end) => {
        print(`Job ${job.id} in ${visible(job.port)}: ${end === "stopped" ? "stopped for now." : resultText(end)}`);
      })
      .catch(async (error: unknown) => {
        // It is found silent there, and comes back.
        if (error instanceof RunnerGone || error instanceof ServerUnreached)
          return print(`Job ${job.id}: the connection to the server was lost. It resumes once the server is reached.`);
        // A fault of ours would come again and again: somebody says when it is to be tried once more.
        print(
          `Job ${job.id} broke off: ${error instanceof Error ? visible(error.message, 300) : "unknown"}. It is paused.`,
        );
        await desk.end("paused", null).catch(() => {});
      })
      .finally(() => this.running.delete(job.port));
    this.running.set(job.port, work);
  }
}
