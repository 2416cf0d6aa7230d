// Brings the database to this version's schema and loads the demo into an empty one. Usage: load-demo.mts [--fresh]

import {
  copyFileSync,
  createReadStream,
  createWriteStream,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  utimesSync,
  writeFileSync,
} from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { pipeline } from "node:stream/promises";
import { gzipSync } from "node:zlib";
import { eq, sql } from "drizzle-orm";
import { type FactSource, observe, type Provenance, provenanceFor } from "@/core/computer/facts/merge";
import { flatten, type PartialFacts } from "@/core/computer/facts/paths";
import { type Facts, factsSchema } from "@/core/computer/facts/schema";
import { CachedSource } from "@/core/kernel/source";
import type { DriverSource } from "@/core/medium/drivers/driver-set";
import { inspect } from "@/core/medium/inspection/inspect";
import type { Inspection } from "@/core/medium/inspection/schema";
import { type Manifest, makeManifest } from "@/core/medium/integrity/manifest";
import { type Listing, listVolumes } from "@/core/medium/volumes/listing";
import { volumesOf } from "@/core/medium/volumes/volumes";
import { problemText } from "@/core/words/problems";
import { insertAccount, isNew } from "@/server/accounts/set-up";
import { takeReport } from "@/server/arrivals/reports";
import { closeCallout, openCallout } from "@/server/callouts/callouts";
import { replaceDisk, takeInFacts } from "@/server/computers/computer-acts";
import { saveView } from "@/server/computers/saved-views";
import { type Context, ownContext } from "@/server/context";
import type { Database } from "@/server/db/client";
import { insertedId } from "@/server/db/results";
import {
  berths,
  devices,
  media,
  organisations,
  people,
  releases,
  sites,
  stores,
  systemImages,
  tokens,
} from "@/server/db/schema";
import { contentPath, makeSimulated } from "@/server/devices/simulated";
import { recordDrill } from "@/server/drills/drills";
import { FileSource } from "@/server/host/file-source";
import { carryFolder, devicesFolder, libraryFolder, storesFolder } from "@/server/host/folders";
import { ROOM_FILE } from "@/server/host/stores-walk";
import { noteCopy, recordImage } from "@/server/images/images";
import { addStore, noteFill } from "@/server/images/stores";
import { keepContents, keepManifest } from "@/server/inspections/contents";
import { importCalendar } from "@/server/inventory/calendars";
import { getComputer, insertComputer } from "@/server/inventory/computers";
import { refreshDerived } from "@/server/inventory/derived";
import { saveKeyCard } from "@/server/inventory/key-cards";
import { listPeople } from "@/server/inventory/people";
import { addSite } from "@/server/inventory/sites";
import { lend } from "@/server/media/loans";
import { addMedium, getMedium, mediumInputOf, saveMedium } from "@/server/media/media";
import { addKit, addRelease, getRelease, saveRelease } from "@/server/media/releases";
import type { Result } from "@/server/problems";
import { planDrill } from "../src/server/drills/planned-drills";
import { noteChange } from "../src/server/inventory/noted-changes";
import { saveRule, setTravel } from "../src/server/inventory/policies";
import { ARRIVALS, ARRIVED_AT } from "./demo/arrivals";
import { BERTHS, CARRIED, DEVICES } from "./demo/bench";
import { POLICIES, WAYS } from "./demo/cover";
import { dated } from "./demo/days";
import { EMPTIED } from "./demo/emptied";
import { BEGUN, computerAdded, type Done, doneOn, LENT, POLICY_SAID } from "./demo/history";
import { IMAGES, type ImageName } from "./demo/images";
import { MODELS, type Model } from "./demo/models";
import { DRILLS, IMAGES_TAKEN, STATES } from "./demo/proofs";
import { revoking } from "./demo/signers";
import { CALENDARS, factsOf, KITS, MACHINES, MEDIA, PEOPLE, SITES, VIEWS } from "./demo/skerry-line";
import { CALLOUTS, COPIES, STORES, STRAYS } from "./demo/stores";
import { preparedDatabase } from "./lib/prepared";
import { Workshop } from "./media/workshop";

function value<T>(result: Result<T>): T {
  if (!result.ok) throw new Error(problemText(result.problem));
  return result.value;
}

/** Most facts were collected on the computer itself; what set-up alone tells was typed. */
function provenanceOf(facts: Facts, index: number): Provenance {
  const day = dated(new Date(Date.UTC(2026, 1 + (index % 8), 3 + (index % 20), 9, 30)).toISOString());
  const collected: FactSource = { kind: "collector", name: "creel-collect.sh 1", at: day, by: null };
  const typed: FactSource = { kind: "hand", name: "form", at: day, by: "Ina Torvald" };
  const paths = flatten(facts);
  const byHand = /^firmware\/(usbStart|fastBoot|legacyMode)$|keyPlace$|^ports\//;
  return provenanceFor(paths, new Map([...paths.keys()].map((path) => [path, byHand.test(path) ? typed : collected])));
}

interface ReadImage {
  inspection: Inspection;
  drivers: DriverSource[];
  listing: Listing;
  manifest: Manifest;
}

/** What is read of real small images, each made once by reference tools. */
async function readImages(): Promise<Map<ImageName, ReadImage>> {
  const folder = mkdtempSync(join(tmpdir(), "creel-demo-"));
  mkdirSync(libraryFolder(), { recursive: true });
  try {
    const workshop = new Workshop(folder);
    const found = new Map<ImageName, ReadImage>();
    for (const [name, image] of Object.entries(IMAGES)) {
      const file = image.make(workshop);
      copyFileSync(file, join(libraryFolder(), image.file));
      const source = await FileSource.open(file);
      const sha256 = await source.sha256();
      const { inspection, drivers } = await inspect(source, { name: image.file, sha256, depth: "deep" });
      const listing = await listVolumes(await volumesOf(new CachedSource(source)));
      const manifest = await makeManifest(source, { name: image.file });
      found.set(name as ImageName, { inspection, drivers, listing, manifest });
      await source.close();
    }
    return found;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

async function empty(db: Database): Promise<void> {
  // Releases that name each other stand in the way of their own going.
  await db.update(releases).set({ supersededById: null });
  for (const table of EMPTIED) await db.delete(table);
}

async function load(db: Database): Promise<void> {
  console.log("Loading the demo: making its media with reference tools and reading them …");
  const found = await readImages();
  const staff = PEOPLE.map(({ name, role }, index) => ({ id: index + 1, name, role }));
  const context: Context = { db, person: staff[0] as (typeof staff)[number], now: () => new Date() };
  await db.insert(people).values(staff.slice(0, -1));
  /** The same, as somebody did it then. */
  const as = ({ by, at }: Done): Context => ({
    ...context,
    ...{ person: staff.find(({ name }) => name === by) ?? context.person, now: () => new Date(at) },
  });
  const siteIds = new Map<string, number>();
  for (const site of SITES) siteIds.set(site.name, value(await addSite(as(BEGUN), site)));
  const releaseIds = await loadKits(as, found);
  // The cards were written when the computers came, long before the drills.
  const then = as({ by: "Col Marrick", at: dated("2026-01-12T09:00:00Z") });
  for (const model of Object.values(MODELS) as Model[])
    if (model.keys) {
      const { save = "F10", quirks = null, ...keys } = model.keys;
      value(await saveKeyCard(then, null, { make: model.make, model: model.model, ...keys, save, quirks }));
    }
  for (const { product, fileName, text } of CALENDARS)
    value(await importCalendar(as(POLICY_SAID), { product, fileName, text }));
  for (const [index, machine] of MACHINES.entries()) {
    const facts = factsSchema.parse(factsOf(machine, index));
    value(
      await insertComputer(as(computerAdded(machine.tag, index)), {
        input: {
          tag: machine.tag,
          name: machine.name,
          siteId: siteIds.get(machine.site) ?? null,
          note: machine.note ?? null,
          facts,
        },
        provenance: provenanceOf(facts, index),
        action: "added",
        note: "from creel-collect.sh 1",
      }),
    );
  }
  await ask(as(POLICY_SAID), siteIds);
  for (const [turn, medium] of MEDIA.entries()) {
    value(
      await addMedium(
        as(doneOn(STATES[medium.tag]?.writtenOn ?? dated("2026-02-16"), turn, 15)),
        {
          tag: medium.tag,
          name: medium.name,
          kind: medium.kind,
          capacityBytes: medium.gigabytes === null ? null : Math.round(medium.gigabytes * 1e9),
          siteId: medium.site === null ? null : (siteIds.get(medium.site) ?? null),
          lentTo: null,
          note: medium.note ?? null,
          condition: STATES[medium.tag]?.condition,
          writtenOn: STATES[medium.tag]?.writtenOn,
          verified: null,
          releaseIds: medium.load ? [releaseIds.get(medium.load)].filter((id) => id !== undefined) : [],
        },
        medium.image ? (found.get(medium.image)?.inspection ?? null) : null,
      ),
    );
  }
  await fillBench(context);
  await prove(context, as);
  for (const { name, query } of VIEWS) value(await saveView(context, { name, query }));
  await arrive(context, siteIds);
  // The last of them comes last of all: who is there marks a demo that was loaded to its end.
  await db.insert(people).values(staff.slice(-1));
}

/** Computers that reported themselves and wait: two that nobody recorded, and one with a disk of another. */
async function arrive(context: Context, siteIds: ReadonlyMap<string, number>): Promise<void> {
  const now = context.now();
  const site = { id: siteIds.get(ARRIVED_AT) as number, name: ARRIVED_AT };
  const token = { kind: "facts", siteId: site.id, createdById: context.person.id, createdAt: now, endedAt: now };
  const tokenId = insertedId(
    await context.db
      .insert(tokens)
      .values({ ...token, name: `Collector of ${ARRIVED_AT}`, hash: "0".repeat(64) })
      .$returningId(),
  );
  for (const facts of ARRIVALS) {
    const told = { schema: "creel.facts/1", collected: { at: now.toISOString(), by: "creel-collect.sh 2" }, ...facts };
    const from = { tokenId, site, computer: null, origin: "10.20.3.14" };
    value(await takeReport(context, from, new TextEncoder().encode(JSON.stringify(told))));
  }
}

/** Everybody signs in to the demo, and nobody by a password. */
async function giveAccounts(db: Database): Promise<void> {
  if (!(await isNew(db))) return;
  const context = ownContext(db, () => new Date());
  await db.insert(organisations).values({ id: 1, name: "Skerry Line", timeZone: "Europe/London", currency: "EUR" });
  for (const { id, name } of await listPeople(db)) {
    const role = PEOPLE.find((person) => person.name === name)?.access ?? "reader";
    const mail = `${name.toLowerCase().replace(" ", ".")}@skerry.example`;
    await insertAccount(context, { personId: id, name, mail, role, hash: null });
  }
}

/** The bench of the workshop: its devices with what stands on them, and its berths. */
async function fillBench({ db }: Context): Promise<void> {
  rmSync(devicesFolder(), { recursive: true, force: true });
  const rows = await db.select({ id: media.id, tag: media.tag }).from(media);
  const ids = new Map<string, number>();
  for (const {
    name,
    faults,
    image,
    medium,
    isStore = false,
    writeRate = null,
    readRate = null,
    ...device
  } of DEVICES) {
    const sectorBytes = device.kind === "optical" ? 2048 : 512;
    const folder = join(devicesFolder(), name);
    await makeSimulated(folder, { ...device, sectorBytes, writeRate, readRate, faults: faults ?? {} });
    if (image) await putOn(contentPath(folder), join(libraryFolder(), IMAGES[image].file));
    const mediumId = rows.find(({ tag }) => tag === medium)?.id ?? null;
    const [row] = await db
      .insert(devices)
      .values({ ...device, sectorBytes, simulatedAs: name, mediumId, isStore })
      .$returningId();
    ids.set(name, (row as { id: number }).id);
  }
  mkdirSync(carryFolder(), { recursive: true });
  copyFileSync(join(libraryFolder(), IMAGES.bollard4.file), join(carryFolder(), CARRIED));
  for (const [place, { device, ...berth }] of BERTHS.entries())
    await db.insert(berths).values({ ...berth, place, deviceId: device === null ? null : (ids.get(device) ?? null) });
}

/** Writes a file over the beginning of a device's content. */
async function putOn(content: string, file: string): Promise<void> {
  await pipeline(createReadStream(file), createWriteStream(content, { flags: "r+" }));
}

/** Kits, and their releases as they were born from files; a release that was superseded says by which. */
async function loadKits(as: (done: Done) => Context, found: Map<ImageName, ReadImage>): Promise<Map<string, number>> {
  const ids = new Map<string, number>();
  let turn = 0;
  for (const { releases: own, ...kit } of KITS) {
    const kitId = value(await addKit(as(BEGUN), kit));
    for (const { image, by: _by, ...release } of own) {
      const context = as(doneOn(release.madeOn, turn++, 13));
      const read = image ? found.get(image) : undefined;
      const inspectionId = read ? value(await keepContents(context, read)) : null;
      // Spindle's manifest is left to be made: a release without one is a state of its own.
      if (read && inspectionId !== null && kit.name !== "Spindle")
        value(await keepManifest(context, inspectionId, read.manifest));
      const input = { kitId, inspectionId, ...release };
      ids.set(`${kit.name} ${release.name}`, value(await addRelease(context, input)));
    }
  }
  for (const { releases: own, ...kit } of KITS) {
    for (const { by, ...release } of own) {
      const id = ids.get(`${kit.name} ${release.name}`);
      const context = as(doneOn(dated("2026-01-20"), turn++, 13));
      const detail = id === undefined ? null : await getRelease(context, id);
      const supersededById = by === undefined ? undefined : ids.get(by);
      if (!detail || supersededById === undefined) continue;
      const { kitId, name, madeOn, note, facts, inspectionId, version } = detail.row;
      const input = { kitId, name, madeOn, note, facts, inspectionId, supersededById };
      value(await saveRelease(context, detail.row.id, version, input));
    }
  }
  return ids;
}

/** Something that was done, and when (ISO 8601). */
interface Deed {
  at: string;
  act: () => Promise<unknown>;
}

/** What was done over the two years, in the order of its days: what came later is told later. */
async function prove(context: Context, as: (done: Done) => Context): Promise<void> {
  await fillStores(context, as);
  const updated = { by: "Col Marrick", at: dated("2026-10-28T08:20:00Z") } as const;
  const deeds = [
    ...verifications(as),
    ...heldDrills(as),
    ...takenImages(as),
    ...callOuts(as),
    ...LENT.map(({ tag, to, dueOn, ...done }) => ({
      at: done.at,
      act: async () => value(await lend(as(done), { tag, to, dueOn })),
    })),
    { at: updated.at, act: () => happen(as(updated)) },
  ];
  for (const { act } of deeds.sort((a, b) => a.at.localeCompare(b.at))) await act();
  await fillCopies(context);
  const dayFromNow = (days: number) => new Date(context.now().getTime() + days * DAY_MS).toISOString().slice(0, 10);
  const aMonthAgo = { ...context, now: () => new Date(Date.now() - 30 * DAY_MS) };
  value(await planDrill(context, { medium: "RM-01", computer: "HO-003", dueOn: dayFromNow(9) }));
  value(await planDrill(aMonthAgo, { medium: "RM-01", computer: "FU-B1", dueOn: dayFromNow(-6) }));
  value(
    await noteChange(context, {
      computer: "HO-004",
      on: dayFromNow(5),
      what: "Timetable program 7, with its own database",
    }),
  );
}

/** What is asked of computers and places, and the ways between them. */
async function ask(context: Context, siteIds: ReadonlyMap<string, number>): Promise<void> {
  for (const rule of POLICIES) value(await saveRule(context, rule, null));
  for (const [from, to, minutes] of WAYS)
    value(await setTravel(context, { fromId: siteIds.get(from), toId: siteIds.get(to), minutes }));
}

const DAY_MS = 86_400_000;

/** Each medium was compared with what it should hold, some of them several times. */
function verifications(as: (done: Done) => Context): Deed[] {
  return MEDIA.flatMap(({ tag }, turn) => {
    const { verified, earlier = [] } = STATES[tag] ?? {};
    const looks = [...earlier.map((on) => ({ on, whole: true })), ...(verified ? [verified] : [])];
    return looks.map((look): Deed => {
      const done = doneOn(look.on, turn + 1, 17);
      const act = async () => {
        const then = as(done);
        const detail = await getMedium(then, tag);
        if (!detail) throw new Error(`${tag} is not there.`);
        const { id, version } = detail.row;
        value(await saveMedium(then, id, version, { ...mediumInputOf(detail), verified: look }));
      };
      return { at: done.at, act };
    });
  });
}

function heldDrills(as: (done: Done) => Context): Deed[] {
  return DRILLS.map(([medium, computer, on, result, firmwareVersion], turn) => {
    const done = doneOn(on, turn, 18);
    const input = { medium, computer, on, result, firmwareVersion };
    return { at: done.at, act: async () => value(await recordDrill(as(done), input)) };
  });
}

function takenImages(as: (done: Done) => Context): Deed[] {
  return IMAGES_TAKEN.map(({ body, ...image }, turn) => {
    const done = doneOn(image.takenAt, turn, 20);
    const act = async () => {
      const taken = as(done);
      const detail = await getComputer(taken, image.computer);
      const { make = null, model = null } = detail?.row ?? {};
      value(await recordImage(taken, { ...image, body: { ...body, make, model } }));
    };
    return { at: done.at, act };
  });
}

/** Computers that failed and were handed back, and one that waits. */
function callOuts(as: (done: Done) => Context): Deed[] {
  return CALLOUTS.map(({ computer, happening, at, minutes, cameBack, lost, failed }, turn) => {
    const { by } = doneOn(at, turn);
    // The one that waits was reported a while ago.
    const opened = cameBack === null ? Date.now() - 40 * 60_000 : Date.parse(at);
    const began = { by, at: new Date(opened).toISOString() };
    const act = async () => {
      const id = value(await openCallout(as(began), { computer, happening }));
      if (cameBack === null) return;
      const closed = as({ by, at: new Date(opened + minutes * 60_000).toISOString() });
      value(await closeCallout(closed, id, { cameBack, lost, failed, mediumWorked: null }));
    };
    return { at: began.at, act };
  });
}

/** Stores with the copies that are in them; the share is a folder with real files, the others were listed once. */
async function fillStores(context: Context, as: (done: Done) => Context): Promise<void> {
  const siteIds = new Map((await context.db.select().from(sites)).map(({ id, name }) => [name, id]));
  const today = context.now().toISOString().slice(0, 10);
  const share = shareFolder();
  rmSync(share, { recursive: true, force: true });
  for (const [turn, { site, reachedFrom, fills = [], ...store }] of STORES.entries()) {
    const used = fills.at(-1);
    const empty = { medium: null, computer: null, diskSerial: null, address: null, link: null, folder: null };
    const storeId = value(
      await addStore(as(doneOn(dated("2026-01-09"), turn, 11)), {
        ...empty,
        ...{ capacityBytes: null, namePattern: null, note: null, ...store },
        freeBytes: null,
        siteId: site ? (siteIds.get(site) ?? null) : null,
        reachedFrom: reachedFrom?.flatMap((name) => siteIds.get(name) ?? []) ?? null,
      }),
    );
    for (const [at, usedBytes] of fills.entries()) {
      const on = new Date(Date.parse(today) - (fills.length - 1 - at) * 7 * DAY_MS).toISOString().slice(0, 10);
      await noteFill(context.db, storeId, on, Math.round(usedBytes));
    }
    if (store.capacityBytes && used)
      await context.db
        .update(stores)
        .set({ freeBytes: Math.round(store.capacityBytes - used), measuredOn: today })
        .where(eq(stores.id, storeId));
    if (store.folder && store.capacityBytes && used) {
      mkdirSync(share, { recursive: true });
      const room = { capacityBytes: store.capacityBytes, usedBytes: Math.round(used) };
      writeFileSync(join(share, ROOM_FILE), JSON.stringify(room));
    }
  }
}

const shareFolder = () => join(storesFolder(), "image-share");

/** The copies that are in the stores; those on the share are real files. */
async function fillCopies(context: Context): Promise<void> {
  const share = shareFolder();
  const today = context.now().toISOString().slice(0, 10);
  const ids = new Map((await context.db.select().from(stores)).map(({ id, name }) => [name, id]));
  const imageIds = new Map((await context.db.select().from(systemImages)).map(({ id, name }) => [name, id]));
  const content = gzipSync(readFileSync(join(libraryFolder(), IMAGES.lantern11.file)));
  const put = (path: string, day: string) => {
    const file = join(share, path);
    mkdirSync(dirname(file), { recursive: true });
    // Each of them another content: gzip ends where its check sum ends, and padding follows.
    writeFileSync(file, Buffer.concat([content, Buffer.alloc(ids.size + path.length)]));
    const at = new Date(`${day}T18:00:00Z`);
    utimesSync(file, at, at);
    return { path, bytes: content.length + ids.size + path.length, modified: at.toISOString() };
  };
  for (const { image, store, path, verified } of COPIES) {
    const day = /\d{4}-\d{2}-\d{2}/.exec(path)?.[0] ?? today;
    const isShare = store === "Image share";
    const file = isShare ? put(path, day) : { path, bytes: 81_000_000_000, modified: `${day}T18:00:00.000Z` };
    const [imageId, storeId] = [imageIds.get(image), ids.get(store)];
    if (imageId === undefined || storeId === undefined) throw new Error(`${image} or ${store} is not there.`);
    await noteCopy(context.db, context, {
      imageId,
      storeId,
      files: [file],
      state: "there",
      verified: verified ?? null,
    });
  }
  for (const path of STRAYS) put(path, /\d{4}-\d{2}-\d{2}/.exec(path)?.[0] ?? dated("2026-04-02"));
}

/** What happened to one computer since: facts collected again after an update, and a new disk. */
async function happen(context: Context): Promise<void> {
  const before = await getComputer(context, "HO-004");
  if (!before) throw new Error("HO-004 is not there.");
  const source: FactSource = {
    kind: "collector",
    name: "creel-collect.sh 1",
    at: dated("2026-10-28T08:15:00.000Z"),
    by: null,
  };
  const told: PartialFacts = {
    computer: { serial: before.row.serial, make: before.row.make, model: before.row.model },
    firmware: { version: "2.21", secureBoot: { dbx: revoking(430), sbatLevel: "sbat,1,2024010900\nshim,4\ngrub,3\n" } },
    systems: [{ name: "Gannet Desk", version: "11.4", build: 31207 }],
  };
  value(await takeInFacts(context, { tag: "HO-004", observations: [observe(source, told)], choices: {} }, 1));
  const bytes = 1_024_209_543_168;
  const disk = { index: 0, bytes, sectorBytes: 512, bus: "nvme", model: "Halyde 1024", serial: "HX990117" };
  value(await replaceDisk(context, before.row.id, 2, disk));
}

if (!process.env.DATABASE_URL) {
  console.error("creel: DATABASE_URL is not set. Start the demo with npm run demo.");
  process.exit(1);
}
async function prepare(db: Database): Promise<void> {
  await refreshDerived(db);
  const [count] = await db.select({ people: sql<number>`COUNT(*)` }).from(people);
  if (Number(count?.people ?? 0) < PEOPLE.length || process.argv.includes("--fresh")) {
    await empty(db);
    await load(db);
  }
  await giveAccounts(db);
}

try {
  const db = await preparedDatabase();
  await prepare(db).finally(() => db.$client.end());
} catch (error) {
  const causes: string[] = [];
  for (let each: unknown = error; each instanceof Error; each = each.cause)
    causes.push(each.message.split("\n")[0] as string);
  console.error(`creel: ${causes.at(-1) ?? String(error)}`);
  process.exitCode = 1;
}
