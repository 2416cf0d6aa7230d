import { rehearseRetention } from "@/core/images/retention";
import type { ImageBody } from "@/core/judging/model/parts";
import type { Context } from "@/server/context";
import { computers, imageCopies, stores, systemImages } from "@/server/db/schema";
import { listDue } from "@/server/images/image-due";
import { imagesOfComputers, listImages } from "@/server/images/images";

const PER_COMPUTER = 2;
const AT_ONCE = 500;

/** Two images of every computer, each with a copy in one store. Gives how many. */
async function laidIn({ db, now }: Context): Promise<number> {
  const times = { createdAt: now(), updatedAt: now() };
  const [store] = await db
    .insert(stores)
    .values({ name: "Bench share", kind: "share", capacityBytes: 40e12, ...times })
    .$returningId();
  const storeId = (store as { id: number }).id;
  const fleet = await db.select({ id: computers.id, tag: computers.tag }).from(computers);
  const body: ImageBody = {
    ...{ make: null, model: null, kit: "Spindle", kitVersion: "3.0", mode: "uefi", diskBytes: 500e9, sectorBytes: 512 },
    partitions: [
      { role: "esp", active: null },
      { role: "system", active: null },
    ],
    ...{ encrypted: false, keyPlace: null, kind: "full", parent: null, verified: null, places: [] },
    ...{ usedBytes: 60e9, storedBytes: 33e9 },
  };
  const rows = fleet.flatMap(({ id, tag }, at) =>
    Array.from({ length: PER_COMPUTER }, (_, nth) => {
      const takenAt = new Date(now().getTime() - ((at % 300) + nth * 90) * 86_400_000);
      return { name: `${tag} ${takenAt.toISOString().slice(0, 10)} ${nth}`, computerId: id, takenAt, body, ...times };
    }),
  );
  for (let at = 0; at < rows.length; at += AT_ONCE) {
    const ids = await db
      .insert(systemImages)
      .values(rows.slice(at, at + AT_ONCE))
      .$returningId();
    await db.insert(imageCopies).values(
      ids.map(({ id }, nth) => ({
        ...{ imageId: id, storeId, state: "there" as const, verifiedOn: "2026-01-01", verifiedWhole: true },
        files: [{ path: `${rows[at + nth]?.name}.img.gz`, bytes: 33e9, modified: null }],
        ...times,
      })),
    );
  }
  return rows.length;
}

/** Pages about images, with two of every computer that is in the database. */
export async function imageFigures(
  context: Context,
  timed: (times: number, run: () => Promise<unknown>) => Promise<number>,
  show: (what: string, milliseconds: number, note?: string) => void,
): Promise<void> {
  const count = await laidIn(context);
  const many = `${count.toLocaleString("en-GB")} images`;
  show(`list of ${many}: first page`, await timed(9, () => listImages(context, {})));
  show(`list of ${many}: page 200`, await timed(9, () => listImages(context, {}, 200)));
  show(`list of ${many}: typing a tag`, await timed(9, () => listImages(context, { text: "00042" })));
  let due = 0;
  const dueTime = await timed(5, async () => {
    due = (await listDue(context)).total;
  });
  show(`due, of ${many}`, dueTime, `${due} due`);
  let go = 0;
  const goTime = await timed(3, async () => {
    const points = (await imagesOfComputers(context, null)).map(({ point }) => point);
    go = rehearseRetention(points, { daily: 1, weekly: 0, monthly: 0, yearly: 0 }).go.length;
  });
  show(`what may go, of ${many}`, goTime, `${go} may go`);
}
