// Brings the database to this version's schema and loads the demo into an empty one. Usage: load-demo.mts [--fresh]
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { sql } from "drizzle-orm";
import { inspect } from "@/core/inspection/inspect";
import type { Inspection } from "@/core/inspection/schema";
import type { Context } from "@/server/context";
import { connect, type Database } from "@/server/db/client";
import { migrateDatabase } from "@/server/db/migrate";
import { computers, disks, events, inspections, kits, loads, media, people, releases, sites } from "@/server/db/schema";
import { FileSource } from "@/server/files/file-source";
import { problemText, type Result } from "@/server/problems";
import { addComputer } from "@/server/services/computers";
import { addMedium } from "@/server/services/media";
import { addKit, addRelease, addSite } from "@/server/services/places";
import { IMAGES, type ImageName } from "./demo/images";
import { factsOf, KITS, MACHINES, MEDIA, PEOPLE, SITES } from "./demo/skerry-line";
import { Workshop } from "./media/workshop";

function value<T>(result: Result<T>): T {
  if (!result.ok) throw new Error(problemText(result.problem));
  return result.value;
}

/** Inspections of real small images, each made once by reference tools. */
async function inspectImages(): Promise<Map<ImageName, Inspection>> {
  const folder = mkdtempSync(join(tmpdir(), "creel-demo-"));
  try {
    const workshop = new Workshop(folder);
    const found = new Map<ImageName, Inspection>();
    for (const [name, image] of Object.entries(IMAGES)) {
      const source = await FileSource.open(image.make(workshop));
      found.set(
        name as ImageName,
        (await inspect(source, { name: image.file, sha256: await source.sha256() })).inspection,
      );
      await source.close();
    }
    return found;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

async function empty(db: Database): Promise<void> {
  for (const table of [events, loads, media, inspections, releases, kits, disks, computers, sites, people])
    await db.delete(table);
}

async function load(db: Database): Promise<void> {
  console.log("Loading the demo: making its media with reference tools and reading them …");
  const found = await inspectImages();
  const staff = PEOPLE.map((person, index) => ({ id: index + 1, ...person }));
  const context: Context = { db, person: staff[0] as (typeof staff)[number], now: () => new Date() };
  const siteIds = new Map<string, number>();
  for (const site of SITES) siteIds.set(site.name, value(await addSite(context, site)));
  const releaseIds = new Map<string, number>();
  for (const { releases: own, ...kit } of KITS) {
    const kitId = value(await addKit(context, kit));
    for (const release of own)
      releaseIds.set(`${kit.name} ${release.name}`, value(await addRelease(context, { kitId, ...release })));
  }
  for (const [index, machine] of MACHINES.entries()) {
    value(
      await addComputer(context, {
        tag: machine.tag,
        name: machine.name,
        siteId: siteIds.get(machine.site) ?? null,
        note: machine.note ?? null,
        facts: factsOf(machine, index),
      }),
    );
  }
  for (const medium of MEDIA) {
    value(
      await addMedium(
        context,
        {
          tag: medium.tag,
          name: medium.name,
          kind: medium.kind,
          capacityBytes: medium.gigabytes === null ? null : Math.round(medium.gigabytes * 1e9),
          siteId: medium.site === null ? null : (siteIds.get(medium.site) ?? null),
          lentTo: medium.lentTo ?? null,
          note: medium.note ?? null,
          releaseIds: medium.load ? [releaseIds.get(medium.load)].filter((id) => id !== undefined) : [],
        },
        medium.image ? (found.get(medium.image) ?? null) : null,
      ),
    );
  }
  // Last of all: people mark a demo that was loaded to its end.
  await db.insert(people).values(staff);
}

const url = process.env.DATABASE_URL;
if (!url) {
  console.error("creel: DATABASE_URL is not set. Start the demo with npm run demo.");
  process.exit(1);
}
const db = connect(url);
try {
  await migrateDatabase(db);
  const [count] = await db.select({ people: sql<number>`COUNT(*)` }).from(people);
  if (Number(count?.people ?? 0) === 0 || process.argv.includes("--fresh")) {
    await empty(db);
    await load(db);
  }
} catch (error) {
  const causes: string[] = [];
  for (let each: unknown = error; each instanceof Error; each = each.cause)
    causes.push(each.message.split("\n")[0] as string);
  console.error(`creel: ${causes.at(-1) ?? String(error)}`);
  process.exitCode = 1;
} finally {
  await db.$client.end();
}
