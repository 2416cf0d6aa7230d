import { setTimeout as sleep } from "node:timers/promises";
import { demoSession } from "../lib/session.mjs";

/** The main pages, as whoever opens Creel asks for them. */
const PAGES = {
  Today: "/",
  Computers: "/computers",
  "Computers, broken ones": "/computers?best=broken",
  Media: "/media",
  Chains: "/chains",
  Upkeep: "/upkeep",
  Ahead: "/upkeep/ahead",
  Cover: "/cover",
  Images: "/images",
};
const AT_ONCE = [1, 8, 32];
/** Requests for each figure. */
const ASKED = { 1: 12, 8: 32, 32: 64 } as Record<number, number>;
const HEALTH_EVERY_MS = 50;

type Show = (what: string, milliseconds: number, note?: string) => void;

const quantile = (values: number[], at: number) =>
  [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(values.length * at))] as number;

/** Asks for a page and reads all of it. Gives milliseconds. */
async function ask(address: string, cookie = ""): Promise<number> {
  const start = performance.now();
  const answer = await fetch(address, { headers: { cookie }, redirect: "error" });
  const text = await answer.text();
  if (!answer.ok) throw new Error(`${address} answered ${answer.status}: ${text.slice(0, 200)}`);
  return performance.now() - start;
}

async function manyAtOnce(address: string, lanes: number, cookie: string): Promise<number[]> {
  let left = ASKED[lanes] ?? lanes * 2;
  const taken: number[] = [];
  await Promise.all(
    Array.from({ length: lanes }, async () => {
      while (left-- > 0) taken.push(await ask(address, cookie));
    }),
  );
  return taken;
}

/** Asks for `/health` again and again until it is stopped. */
function watchHealth(address: string): { stop: () => Promise<number[]> } {
  let isOver = false;
  const taken: number[] = [];
  const watching = (async () => {
    while (!isOver) {
      taken.push(await ask(`${address}/health`));
      await sleep(HEALTH_EVERY_MS);
    }
  })();
  return {
    stop: async () => {
      isOver = true;
      await watching;
      return taken;
    },
  };
}

/** What the pages of a server take: the first answers after its start, then alone and many at once. */
export async function pageFigures(address: string, show: Show): Promise<void> {
  const { header: cookie } = await demoSession(address);
  const health = watchHealth(address);
  for (const [name, path] of Object.entries(PAGES))
    show(`${name}, the first answer`, await ask(`${address}${path}`, cookie));
  for (const lanes of AT_ONCE)
    for (const [name, path] of Object.entries(PAGES)) {
      const taken = await manyAtOnce(`${address}${path}`, lanes, cookie);
      show(`${name}, ${lanes} at once, p95`, quantile(taken, 0.95), `median ${quantile(taken, 0.5).toFixed(0)} ms`);
    }
  const asked = await health.stop();
  show("/health meanwhile, the slowest", Math.max(...asked), `median ${quantile(asked, 0.5).toFixed(0)} ms`);
}
