// Measures what Creel promises to be quick, beside plain tools. Not a test: figures are read by people.
// bench.mts [media] [browser] [fleet] [matrix] [writing] [cover] [pages] [load]: some parts only. COUNT=20000 takes another number of computers.
import { spawnSync } from "node:child_process";
import { randomBytes } from "node:crypto";
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { sql } from "drizzle-orm";
import { chromium } from "playwright-core";
import { COMPUTER_SCHEMA } from "@/core/computer/exchange/lines";
import { factsSchema } from "@/core/computer/facts/schema";
import { WimArchive } from "@/core/formats/wim-tree";
import { matchFiles } from "@/core/judging/pair/match";
import { MemorySource } from "@/core/kernel/source";
import { inspect } from "@/core/medium/inspection/inspect";
import { problemText } from "@/core/words/problems";
import { insertAccount } from "@/server/accounts/set-up";
import { bulkChange, previewBulk } from "@/server/computers/bulk";
import { filterChoices, listComputers } from "@/server/computers/computer-list";
import { type Context, ownContext } from "@/server/context";
import { connect } from "@/server/db/client";
import { migrateDatabase } from "@/server/db/migrate";
import { people } from "@/server/db/schema";
import { exportComputers } from "@/server/exchange/exports";
import { runImport, stageImport } from "@/server/exchange/imports";
import { type ImportReport, WHOLE_IMPORT } from "@/server/exchange/options";
import { FileSource } from "@/server/host/file-source";
import { listMedia } from "@/server/media/media";
import { coverFigures } from "./bench/cover";
import { imageFigures } from "./bench/images";
import { loadFigures } from "./bench/load";
import { matrixFigures } from "./bench/matrix";
import { pageFigures } from "./bench/pages";
import { laidIn, MEDIA, upkeepFigures } from "./bench/upkeep";
import { writingFigures } from "./bench/writing";
import { fleetComputer } from "./demo/fleet";
import { IMAGES } from "./demo/images";
import { factsOf, MACHINES } from "./demo/skerry-line";
import { buildIfNeeded, runScript, serve } from "./lib/build.mjs";
import { freePort, startDatabase } from "./lib/database.mjs";
import { ROOT } from "./lib/install.mjs";
import { demoSession } from "./lib/session.mjs";
import { Workshop } from "./media/workshop";

const folder = mkdtempSync(join(tmpdir(), "creel-bench-"));
const median = (values: number[]) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] as number;

async function timed(times: number, run: () => Promise<unknown> | unknown): Promise<number> {
  const taken: number[] = [];
  for (let i = 0; i < times; i++) {
    const start = performance.now();
    await run();
    taken.push(performance.now() - start);
  }
  return median(taken);
}

function show(what: string, milliseconds: number, note = ""): void {
  console.log(`${what.padEnd(64)} ${milliseconds.toFixed(1).padStart(9)} ms  ${note}`);
}

const ARCHIVE_MIB = 600;

/** An archive as environments are started from, as large as those get: folders of small files, and few large ones. */
function bootArchive(workshop: Workshop): string {
  const tree = workshop.path("archive.tree");
  for (let folder = 0; folder < 40; folder++) {
    mkdirSync(join(tree, `Windows/System32/folder-${folder}`), { recursive: true });
    for (let file = 0; file < 100; file++)
      writeFileSync(join(tree, `Windows/System32/folder-${folder}/file-${file}.dll`), `${folder} ${file}`.repeat(99));
  }
  for (let part = 0; part < ARCHIVE_MIB / 50; part++)
    writeFileSync(join(tree, `Windows/part-${part}.bin`), randomBytes(50 << 20));
  const archive = workshop.path("boot.wim");
  spawnSync("wimcapture", [tree, archive, "Kit", "--boot", "--compress=none", "--quiet"]);
  return archive;
}

/** A disc with all that a live medium carries, from Debian's own packages where they are installed. */
function richDisc(workshop: Workshop): string {
  const kernel = readdirSync("/boot")
    .find((name) => name.startsWith("vmlinuz-"))
    ?.slice("vmlinuz-".length);
  const start = workshop.fat("start.fat", 12, 12, { "EFI/BOOT/BOOTX64.EFI": "/usr/lib/shim/shimx64.efi.signed" }, [
    "-s",
    "8",
  ]);
  const disc = workshop.iso(
    "rich.iso",
    {
      "boot/efi.img": start,
      "sources/boot.wim": bootArchive(workshop),
      "live/filesystem.squashfs": IMAGES.bollard5.make(workshop) && workshop.path("Bollard.squashfs"),
      ...(kernel ? { "live/vmlinuz": `/boot/vmlinuz-${kernel}`, "live/initrd.img": `/boot/initrd.img-${kernel}` } : {}),
    },
    ["-e", "boot/efi.img", "-no-emul-boot"],
  );
  workshop.truncate(disc, 6_000_000_000);
  return disc;
}

async function media(): Promise<void> {
  const workshop = new Workshop(folder);
  const large = richDisc(workshop);
  const cli = (...args: string[]) =>
    spawnSync(process.execPath, ["scripts/creel.mjs", ...args], { encoding: "utf8", maxBuffer: 256 << 20 });
  cli("inspect", large);
  show("inspect, 6 GB sparse disc image, whole process", await timed(5, () => cli("inspect", large)));
  show("node alone, whole process", await timed(5, () => spawnSync(process.execPath, ["-e", "0"])));
  let bytesRead = 0;
  const inspected = async () => {
    const source = await FileSource.open(large, { waits: true });
    const result = await inspect(source, { name: source.name });
    await source.close();
    bytesRead = result.bytesRead;
    return result.inspection;
  };
  show("inspect, the same, in process", await timed(9, inspected), `${bytesRead.toLocaleString("en-GB")} bytes read`);
  show("inspect --deep, the same, with its drivers", await timed(3, () => cli("inspect", large, "--deep")));
  show("ls --json, the same", await timed(3, () => cli("ls", large, "--json")));
  show("xorriso -find, the same", await timed(3, () => spawnSync("xorriso", ["-indev", large, "-find", "/"])));
  const inspection = await inspected();
  const fleet = MACHINES.map((machine, index) => factsSchema.parse(factsOf(machine, index)));
  show(
    `judge ${fleet.length} computers, one medium, both ways of attaching`,
    await timed(9, () => fleet.map((facts) => matchFiles({ views: inspection.views, release: null }, facts, null))),
  );
  await archives(workshop);
  const noise = bigFile(workshop);
  const own = await timed(5, () => cli("verify", noise, "--sums", `${noise}.sums`));
  const tool = await timed(5, () => spawnSync("sha256sum", [noise]));
  show("SHA-256 of 1 GB by verify --sums, whole process", own, `${(1000 / own).toFixed(2)} GB/s`);
  show(
    "sha256sum, the same, whole process",
    tool,
    `${(1000 / tool).toFixed(2)} GB/s, ratio ${(tool / own).toFixed(2)}`,
  );
  const used = spawnSync(
    "/usr/bin/time",
    ["-f", "%M", process.execPath, "scripts/creel.mjs", "manifest", noise, "--json"],
    {
      encoding: "utf8",
    },
  );
  console.log(`${"memory of manifest, 1 GB".padEnd(64)} ${(Number(used.stderr) / 1024).toFixed(0).padStart(9)} MiB`);
}

/** Unpacking archives of 64 MiB of a program, one thread; beside each wimlib's. */
async function archives(workshop: Workshop): Promise<void> {
  const [source, bytes] = [workshop.path("packed/program.bin"), 64 << 20];
  mkdirSync(workshop.path("packed"));
  writeFileSync(source, readFileSync(process.execPath).subarray(0, bytes));
  for (const [name, options] of [
    ["XPRESS", ["--compress=XPRESS"]],
    ["LZX", ["--compress=LZX"]],
    ["LZMS", ["--compress=LZMS"]],
    ["LZMS, as one", ["--solid"]],
  ] as const) {
    const path = workshop.path(`${name}.wim`);
    spawnSync("wimlib-imagex", ["capture", workshop.path("packed"), path, "program", "--quiet", ...options]);
    const archive = await WimArchive.open(new MemorySource(new Uint8Array(readFileSync(path))));
    const own = await timed(3, () => archive?.damaged());
    const apply = ["apply", path, "1", workshop.path("unpacked"), "--quiet"];
    const tool = await timed(3, () => spawnSync("taskset", ["-c", "0", "wimlib-imagex", ...apply]));
    const rates = `${(bytes / own / 1000).toFixed(0)} MB/s, wimlib ${(bytes / tool / 1000).toFixed(0)} MB/s`;
    show(`contents of an archive against their SHA-1, ${name}`, own, rates);
  }
}

/** 1 GB that does not shrink, and its published sum. */
function bigFile(workshop: Workshop): string {
  const file = workshop.path("noise.img");
  spawnSync("sh", [
    "-c",
    'head -c 1000000000 /dev/urandom > "$1" && cd "$(dirname "$1")" && sha256sum noise.img > noise.img.sums',
    "sh",
    file,
  ]);
  return file;
}

/** What a dropped file takes in the browser; it is read there, in a worker. */
async function browser(): Promise<void> {
  const workshop = new Workshop(folder);
  const [large, noise] = [richDisc(workshop), bigFile(workshop)];
  await buildIfNeeded();
  const database = await startDatabase(join(ROOT, ".creel", "bench"));
  const port = await freePort();
  const data = join(ROOT, ".creel", "bench-data");
  if (runScript("scripts/load-demo.mts", ["--fresh"], { DATABASE_URL: database.url, CREEL_DATA: data }) !== 0)
    throw new Error("no demo");
  const server = await serve(port, database.url, join(ROOT, ".creel", "bench-web.log"), data, {
    more: { CREEL_DEMO: "1" },
  });
  const chromiumBrowser = await chromium.launch({
    executablePath: "/usr/bin/chromium",
    args: ["--no-sandbox", "--disable-gpu", "--disable-background-networking"],
  });
  try {
    const context = await chromiumBrowser.newContext();
    await context.addCookies((await demoSession(`http://127.0.0.1:${port}`)).cookies);
    const page = await context.newPage();
    const open = async () => {
      await page.goto(`http://127.0.0.1:${port}/look?show=whole`);
      await page.waitForLoadState("networkidle");
    };
    const drop = async (file: string) => {
      await page.locator('input[type="file"]:not([webkitdirectory])').first().setInputFiles(file);
      await page.getByText("were read for a first look").waitFor();
    };
    await open();
    await drop(large);
    const taken: number[] = [];
    for (let i = 0; i < 5; i++) {
      await open();
      taken.push(await timed(1, () => drop(large)));
    }
    show("inspect, 6 GB disc image dropped in the browser", median(taken));
    await open();
    await drop(noise);
    const digested = await timed(1, async () => {
      await page.getByRole("button", { name: /^Compute its digest/ }).click();
      await page.getByText(/^SHA256 [0-9a-f]{64}$/).waitFor({ timeout: 300_000 });
    });
    show("SHA-256 of 1 GB in the browser", digested, `${(1000 / digested).toFixed(2)} GB/s`);
  } finally {
    await chromiumBrowser.close();
    server.kill("SIGTERM");
    await database.stop();
  }
}

/** Runs with a database of its own that is empty. */
async function inOwnDatabase(run: (context: Context, url: string) => Promise<void>): Promise<void> {
  const server = await startDatabase(join(ROOT, ".creel", "bench"));
  const name = "creel_test_bench";
  try {
    const admin = connect(server.url);
    await admin.execute(sql.raw(`DROP DATABASE IF EXISTS ${name}`));
    await admin.execute(sql.raw(`CREATE DATABASE ${name} CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci`));
    await admin.$client.end();
    const url = new URL(server.url);
    url.pathname = `/${name}`;
    const db = connect(url.toString());
    await migrateDatabase(db);
    await db.insert(people).values([{ name: "Ina Torvald" }]);
    const account = { personId: 1, name: "Ina Torvald", mail: "ina@skerry.example", role: "lead", hash: null };
    await insertAccount(
      ownContext(db, () => new Date()),
      account,
    );
    await run({ db, person: { id: 1, name: "Ina Torvald" }, now: () => new Date() }, url.toString());
    await db.$client.end();
  } finally {
    await server.stop();
  }
}

/** The list, the import and the export at ten thousand computers. */
const fleet = () => inOwnDatabase((context) => fleetFigures(context, Number(process.env.COUNT ?? 10_000)));

async function taken(context: Context, file: string, text: string): Promise<ImportReport> {
  const staged = await stageImport(context, file, new TextEncoder().encode(text));
  if (!staged.ok) throw new Error(problemText(staged.problem));
  const result = await runImport(context, staged.value, WHOLE_IMPORT);
  if (!result.ok) throw new Error(problemText(result.problem));
  if (result.value.faultsTotal > 0) throw new Error(result.value.faults[0]?.problem.code);
  return result.value;
}

async function exported(context: Context, form: "csv" | "jsonl"): Promise<string> {
  const parts: string[] = [];
  for await (const part of exportComputers(context, form, "all")) parts.push(part);
  return parts.join("");
}

async function fleetFigures(context: Context, count: number): Promise<void> {
  const many = `${count.toLocaleString("en-GB")} computers`;
  const once = async (what: string, run: () => Promise<string>) => {
    const start = performance.now();
    const note = await run();
    show(what, performance.now() - start, note);
  };
  const fleet = Array.from({ length: count }, (_, index) => fleetComputer(index));
  const plain = fleet
    .map(({ tag, name, site, facts }) => {
      const { computer } = facts as { computer: Record<string, string> };
      return [tag, name, site, computer.make, computer.model, computer.serial, computer.form].join(";");
    })
    .join("\n");
  await once(`import ${many}: seven columns, all new`, async () => {
    const report = await taken(context, "plain.csv", `tag;name;site;make;model;serial;form\n${plain}\n`);
    return `${report.added} added`;
  });
  const lines = fleet.map((computer) => JSON.stringify({ schema: COMPUTER_SCHEMA, ...computer })).join("\n");
  await once(`import ${many}: all their facts over them`, async () => {
    const report = await taken(context, "fleet.jsonl", lines);
    return `${(lines.length / 1e6).toFixed(0)} MB, ${report.changed} changed`;
  });
  let csv = "";
  await once(`export ${many} as CSV`, async () => {
    csv = await exported(context, "csv");
    return `${(csv.length / 1e6).toFixed(0)} MB`;
  });
  await once("import what was exported", async () => {
    const report = await taken(context, "again.csv", csv);
    if (report.same !== count || csv !== (await exported(context, "csv")))
      throw new Error("What was exported did not come back the same.");
    return `${report.same} just so; exported again, equal to the byte`;
  });
  const { signers } = await filterChoices(context);
  const filters: Record<string, Parameters<typeof listComputers>[1]> = {
    "first page": {},
    "typing “b”": { text: "b" },
    "typing “bridge 7”": { text: "bridge 7" },
    "typing a serial's middle": { text: "or4" },
    "typing what nothing has": { text: "qqqq" },
    "page 150": { page: 150 },
    "sorted by system": { sort: "system", descending: true },
    "Secure Boot on, a signer not allowed": { secureBoot: "on", signer: -(signers[0]?.id ?? 1) },
    "something missing, by place": { missing: "any", sort: "site" },
    "by firmware, system and model": { firmware: "uefi", system: "Gannet Desk", model: "Slate 14" },
  };
  for (const [what, filter] of Object.entries(filters)) {
    let total = 0;
    const milliseconds = await timed(15, async () => {
      total = (await listComputers(context, filter)).total;
    });
    show(`list of ${many}: ${what}`, milliseconds, `${total} found`);
  }
  show("what the filters can be set to", await timed(9, () => filterChoices(context)));
  const change = { field: "fastBoot", value: "on" } as const;
  await once("a change over many: looked at", async () => {
    const preview = await previewBulk(context, { filter: {} }, change);
    return preview.ok ? `${preview.value.changes} of ${preview.value.chosen}` : "";
  });
  await once("a change over many: done", async () => {
    const done = await bulkChange(context, { filter: {} }, change);
    return done.ok ? `${done.value.changed} changed` : "";
  });
  await imageFigures(context, timed, show);
  await upkeepFigures(context, new Workshop(folder), timed, show);
}

const matrix = () => matrixFigures(new Workshop(folder), show);

const writing = () => writingFigures(folder, show);

const cover = () => coverFigures(show);

/** The main pages with ten thousand computers and MEDIA media, 300 where it is not said. */
const pages = () => onServer(({ address }) => pageFigures(address, show));

/** The same server with fifty people at work. */
const load = () =>
  onServer(async (server) => {
    const [computers, media] = await Promise.all([listComputers(server.context, {}), listMedia(server.context, {})]);
    const tags = (items: { tag: string }[]) => items.map(({ tag }) => tag);
    await loadFigures(server, { computers: tags(computers.items), media: tags(media.items) }, show);
  });

interface BenchServer {
  address: string;
  pid: number;
  log: string;
  context: Context;
}

/** A server with ten thousand computers, or COUNT, and MEDIA media. */
async function onServer(use: (server: BenchServer) => Promise<void>): Promise<void> {
  await buildIfNeeded();
  await inOwnDatabase(async (context, url) => {
    const count = Number(process.env.COUNT ?? 10_000);
    const lines = Array.from({ length: count }, (_, at) =>
      JSON.stringify({ schema: COMPUTER_SCHEMA, ...fleetComputer(at) }),
    );
    const start = performance.now();
    await taken(context, "fleet.jsonl", lines.join("\n"));
    show(`import ${count.toLocaleString("en-GB")} computers with all their facts`, performance.now() - start);
    await laidIn(context, new Workshop(folder), Number(process.env.MEDIA ?? MEDIA));
    const port = await freePort();
    const log = join(ROOT, ".creel", "bench-web.log");
    const server = await serve(port, url, log, join(ROOT, ".creel", "bench-data"), { more: { CREEL_DEMO: "1" } });
    try {
      await use({ address: `http://127.0.0.1:${port}`, pid: server.pid ?? 0, log, context });
    } finally {
      server.kill("SIGTERM");
    }
  });
}

const PARTS = { media, browser, fleet, matrix, writing, cover, pages, load };
const wanted = process.argv.slice(2);
try {
  for (const [name, run] of Object.entries(PARTS)) if (wanted.length === 0 || wanted.includes(name)) await run();
} finally {
  rmSync(folder, { recursive: true, force: true });
}
