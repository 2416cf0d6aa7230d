import { inspect } from "@/core/medium/inspection/inspect";
import { problemText } from "@/core/words/problems";
import type { Context } from "@/server/context";
import { covered } from "@/server/cover/standings";
import { coverView } from "@/server/cover/view";
import { computers, drills, media } from "@/server/db/schema";
import { FileSource } from "@/server/host/file-source";
import { keepContents } from "@/server/inspections/contents";
import { setTravel } from "@/server/inventory/policies";
import { listSites } from "@/server/inventory/sites";
import { addMedium } from "@/server/media/media";
import { addKit, addRelease } from "@/server/media/releases";
import type { Result } from "@/server/problems";
import { aheadView } from "@/server/upkeep/ahead";
import { dueView } from "@/server/upkeep/due";
import { calendarFeed } from "@/server/upkeep/feed";
import { IMAGES } from "../demo/images";
import type { Workshop } from "../media/workshop";

export const MEDIA = 300;

function value<T>(result: Result<T>): T {
  if (!result.ok) throw new Error(problemText(result.problem));
  return result.value;
}

/** `count` media of two kits over all places, half of them tried. */
export async function laidIn(context: Context, w: Workshop, count: number): Promise<void> {
  const sites = await listSites(context);
  const releases: { id: number; inspection: unknown }[] = [];
  for (const [name, purposes] of [
    ["bollard5", ["file-rescue"]],
    ["spindle3", ["put-back-images", "start-up-repair"]],
  ] as const) {
    const source = await FileSource.open(IMAGES[name].make(w));
    const { inspection, drivers } = await inspect(source, { name: IMAGES[name].file, depth: "deep" });
    await source.close();
    const inspectionId = value(await keepContents(context, { inspection, drivers, listing: null }));
    const kitId = value(await addKit(context, { name, family: "Linux" }));
    const facts = { purposes, opens: [], abilities: [] };
    releases.push({
      id: value(await addRelease(context, { kitId, name: "1", madeOn: "2026-01-01", facts, inspectionId })),
      inspection,
    });
  }
  const given = { name: null, kind: "usb", lentTo: null, note: null, condition: "good", capacityBytes: 16e9 };
  for (let at = 0; at < count; at++) {
    const { id = 0, inspection = null } = releases[at % releases.length] ?? {};
    const siteId = sites[at % sites.length]?.id ?? null;
    value(await addMedium(context, { ...given, tag: `BM-${at}`, siteId, releaseIds: [id] }, inspection));
  }
  const today = context.now().toISOString().slice(0, 10);
  await context.db.update(media).set({ verifiedOn: today, verifiedWhole: true });
  const [rows, fleet] = await Promise.all([
    context.db.select({ id: media.id }).from(media),
    context.db
      .select({ id: computers.id, make: computers.make, model: computers.model, version: computers.firmwareVersion })
      .from(computers)
      .limit(count),
  ]);
  await context.db.insert(drills).values(
    rows.flatMap(({ id: mediumId }, at) => {
      const computer = fleet[at];
      if (!computer || at % 2 === 1) return [];
      const result = "started" as const;
      return [
        {
          mediumId,
          computerId: computer.id,
          on: today,
          result,
          firmwareVersion: computer.version,
        },
      ];
    }),
  );
  for (const [at, { id }] of sites.slice(1).entries())
    value(await setTravel(context, { fromId: sites[0]?.id, toId: id, minutes: 10 + at }));
}

/** Pages of upkeep with every computer that is in the database, and three hundred media. */
export async function upkeepFigures(
  context: Context,
  w: Workshop,
  timed: (times: number, run: () => Promise<unknown>) => Promise<number>,
  show: (what: string, milliseconds: number, note?: string) => void,
): Promise<void> {
  await laidIn(context, w, MEDIA);
  const once = async (what: string, run: () => Promise<string>) => {
    const start = performance.now();
    const note = await run();
    show(what, performance.now() - start, note);
  };
  await once("cover: everything judged anew", async () => {
    const { chains } = await covered(context);
    return `${chains.computers.length} computers, ${chains.media.length} media`;
  });
  let note = "";
  const view = (run: () => Promise<string>) =>
    timed(3, async () => {
      note = await run();
    });
  const none = { site: null, need: null, page: 1 };
  show(
    "cover",
    await view(async () => {
      const { met, total } = await coverView(context, none);
      return `${met} of ${total}`;
    }),
    note,
  );
  const all = { kind: null, site: null, page: 1 };
  show("what is due", await view(async () => `${(await dueView(context, all)).total} things`), note);
  show(
    "ahead",
    await view(
      async () => `${(await aheadView(context, { day: null, site: null, cause: null })).ahead.at(-1)?.met} in a year`,
    ),
    note,
  );
  await once(
    "calendar feed, the first time",
    async () => `${((await calendarFeed(context, { site: null, person: null })).length / 1e6).toFixed(1)} MB`,
  );
  show(
    "calendar feed of a place",
    await view(
      async () =>
        `${(await calendarFeed(context, { site: (await listSites(context))[0]?.name ?? "", person: null })).length} bytes`,
    ),
    note,
  );
}
