import { and, desc, eq, inArray, isNotNull, max } from "drizzle-orm";
import type { Step } from "@/core/callout/step";
import type { TimeFacts } from "@/core/callout/times";
import { Ways } from "@/core/cover/standing";
import type { LinkKind } from "@/core/images/forecast";
import { CARRIED_DISK } from "@/core/judging/model/parts";
import type { OutcomeKind } from "@/core/judging/routes/outcome";
import type { Context } from "../context";
import type { ComputerId } from "../db/ids";
import { calloutMarks, callouts, computers, imageCopies, media, stores } from "../db/schema";
import { imagesOfComputers } from "../images/images";
import type { ComputerDetail } from "../inventory/computers";
import { loadTravel } from "../inventory/policies";

/** What the inventory knows of how long it takes to recover a computer. `imagesOf`: the one whose images come back on it. */
export async function timeFactsOf(
  context: Context,
  { computer, imagesOf }: { computer: Pick<ComputerDetail, "row" | "siteName">; imagesOf: ComputerId },
): Promise<Pick<TimeFacts, "minutesTo" | "points" | "past">> {
  const [travel, images, past] = await Promise.all([
    loadTravel(context.db),
    imagesOfComputers(context, [imagesOf]),
    pastOf(context, computer),
  ]);
  const imageIds = images.map(({ id }) => id);
  const copies =
    imageIds.length === 0
      ? []
      : await context.db
          .select({
            ...{ imageId: imageCopies.imageId, link: stores.link, readRate: stores.readRate },
            ...{ name: stores.name, kind: stores.kind, medium: media.tag },
          })
          .from(imageCopies)
          .innerJoin(stores, eq(stores.id, imageCopies.storeId))
          .leftJoin(media, eq(media.id, stores.mediumId))
          .where(and(eq(imageCopies.state, "there"), inArray(imageCopies.imageId, imageIds)));
  const copiesOf = (id: number) =>
    copies
      .filter(({ imageId }) => imageId === id)
      .map(({ link, readRate, name, kind, medium }) => ({
        ...{ link: link as LinkKind | null, readRate },
        place: kind === "medium" ? (medium ?? name) : kind === "computer" ? CARRIED_DISK : name,
      }))
      // Where a way does not say from which one, the one whose rate was measured.
      .sort((a, b) => Number(b.readRate !== null) - Number(a.readRate !== null) || (a.place < b.place ? -1 : 1));
  const ways = new Ways(
    travel.places.map(({ name }) => name),
    travel.table,
  );
  return {
    minutesTo: (site) => ways.minutes(site, computer.siteName),
    points: images.map(({ id, point, body }) => {
      const own = copiesOf(id);
      return {
        ...point,
        usedBytes: body.usedBytes ?? null,
        copies: own,
        // On a medium itself it is read as the medium is.
        link: own[0]?.link ?? (body.places.some(({ on }) => on === "medium") ? "usb3" : null),
        readRate: own[0]?.readRate ?? null,
      };
    }),
    past,
  };
}

/**
 * How long call-outs of the past took, by outcome, on computers of the same model; in seconds. Fetching is told apart: where
 * it was ticked, they count from that tick.
 */
async function pastOf(context: Context, { row }: Pick<ComputerDetail, "row">): Promise<TimeFacts["past"]> {
  const rows = await context.db
    .select({
      ...{ openedAt: callouts.openedAt, closedAt: callouts.closedAt, outcome: callouts.outcome },
      fetchedAt: max(calloutMarks.at),
    })
    .from(callouts)
    .innerJoin(computers, eq(computers.id, callouts.computerId))
    .leftJoin(
      calloutMarks,
      and(
        ...[eq(calloutMarks.calloutId, callouts.id), eq(calloutMarks.kind, "done")],
        inArray(calloutMarks.step, ["fetch", "fetch-store"] satisfies Step["code"][]),
      ),
    )
    .where(
      and(
        isNotNull(callouts.closedAt),
        row.make && row.model
          ? and(eq(computers.make, row.make), eq(computers.model, row.model))
          : eq(callouts.computerId, row.id),
      ),
    )
    .groupBy(callouts.id)
    .orderBy(desc(callouts.closedAt))
    .limit(50);
  const past: Partial<Record<OutcomeKind, number[]>> = {};
  for (const { openedAt, fetchedAt, closedAt, outcome } of rows) {
    if (!closedAt || !outcome || outcome.cameBack === "not-back") continue;
    // A device's clock may be wrong: what it tells lies between opening and closing, or is not used.
    const from = fetchedAt && fetchedAt > openedAt && fetchedAt < closedAt ? fetchedAt : openedAt;
    past[outcome.cameBack] = [...(past[outcome.cameBack] ?? []), (closedAt.getTime() - from.getTime()) / 1000];
  }
  return past;
}
