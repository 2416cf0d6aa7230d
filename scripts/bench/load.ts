import { readFileSync } from "node:fs";
import autocannon from "autocannon";
import { demoSession } from "../lib/session.mjs";

type Show = (what: string, milliseconds: number, note?: string) => void;

const PEOPLE = 50;
/** Somebody at work asks for a page about every five seconds. */
const SECONDS_A_PAGE = 5;
const MIX_SECONDS = 60;
const FLAT_REQUESTS = 10_000;

/** What people look at, the more often the more often it stands here; their own computers and media among it. */
function mixOf(tags: { computers: readonly string[]; media: readonly string[] }): string[] {
  const { computers, media } = tags;
  const some = (list: readonly string[], each: number) => list.filter((_, at) => at % each === 0).slice(0, 40);
  return [
    ...["/", "/", "/", "/computers", "/computers", "/computers?text=bridge", "/computers?best=broken", "/media"],
    ...["/chains", "/upkeep", "/cover", "/images", "/kits", "/callouts", "/bench", "/sites"],
    ...some(computers, 3).map((tag) => `/computers/${encodeURIComponent(tag)}`),
    ...some(media, 2).map((tag) => `/media/${encodeURIComponent(tag)}`),
  ];
}

/** Memory that a process holds, in MB (proc(5), "VmRSS"). */
function residentMb(pid: number): number {
  const line = /^VmRSS:\s+(\d+) kB/m.exec(readFileSync(`/proc/${pid}/status`, "utf8"));
  return Number(line?.[1] ?? 0) / 1024;
}

/**
 * Fifty people at work, and what ten thousand pages leave behind: times, answers that were none, the server's memory.
 * `pid`: the server's; `log`: where it writes.
 */
export async function loadFigures(
  { address, pid, log }: { address: string; pid: number; log: string },
  tags: { computers: readonly string[]; media: readonly string[] },
  show: Show,
): Promise<void> {
  const { header: cookie } = await demoSession(address);
  const requests = mixOf(tags).map((path) => ({ method: "GET" as const, path, headers: { cookie } }));
  const run = (options: Partial<autocannon.Options>) => autocannon({ url: address, requests, timeout: 60, ...options });
  const told = (result: autocannon.Result) =>
    `median ${result.latency.p50} ms, slowest ${result.latency.max} ms, ${result["2xx"]} answers, ${result.non2xx + result.errors} without one`;
  // The first answers of each page are not what people see all day.
  await run({ connections: 4, amount: requests.length * 2 });
  const mix = await run({ connections: PEOPLE, overallRate: PEOPLE / SECONDS_A_PAGE, duration: MIX_SECONDS });
  show(`${PEOPLE} people, a page every ${SECONDS_A_PAGE} s each, p97.5`, mix.latency.p97_5, told(mix));
  const before = residentMb(pid);
  const many = await run({ connections: 8, amount: FLAT_REQUESTS });
  show(`${FLAT_REQUESTS.toLocaleString("en-GB")} pages, 8 at once, p97.5`, many.latency.p97_5, told(many));
  const after = residentMb(pid);
  const faults = (readFileSync(log, "utf8").match(/unhandled|"level":60/gi) ?? []).length;
  show("memory after them, MB", after, `${before.toFixed(0)} MB before; ${faults} unhandled faults in the log`);
}
