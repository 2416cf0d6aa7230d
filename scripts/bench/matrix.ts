import { factsSchema } from "@/core/computer/facts/schema";
import { weakestVerdict } from "@/core/fleet/cell";
import { judgePair, surroundingsOf } from "@/core/fleet/judge";
import { FleetMatrix } from "@/core/fleet/matrix";
import { SurestChains } from "@/core/fleet/surest";
import type { FleetMedium, World } from "@/core/fleet/world";
import { partitionsOf } from "@/core/judging/links/restore-image";
import type { ComputerPart, DrillPart, ImagePart } from "@/core/judging/model/parts";
import { USUAL_POLICY } from "@/core/judging/model/parts";
import { releasePart } from "@/core/judging/model/release-part";
import { rankRoutes } from "@/core/judging/routes/routes";
import { DriverIndex } from "@/core/medium/drivers/driver-set";
import { inspect } from "@/core/medium/inspection/inspect";
import { FileSource } from "@/server/host/file-source";
import { attachmentOf } from "@/server/inspections/verdicts";
import { fleetComputer } from "../demo/fleet";
import { IMAGES, type ImageName } from "../demo/images";
import { KITS, MEDIA } from "../demo/skerry-line";
import type { Workshop } from "../media/workshop";

const COMPUTERS = 10_000;
const MEDIA_COUNT = 1_000;

/** A fleet of made-up computers, and media that are the demo's many times over, at their sites, with images and drills. */
async function largeWorld(workshop: Workshop): Promise<World> {
  const read = new Map<
    ImageName,
    { views: NonNullable<FleetMedium["views"]>; part: Parameters<typeof releasePart>[1] }
  >();
  for (const [name, image] of Object.entries(IMAGES)) {
    const source = await FileSource.open(image.make(workshop));
    const { inspection, drivers } = await inspect(source, { name, depth: "deep" });
    await source.close();
    read.set(name as ImageName, {
      views: { key: name, views: inspection.views },
      part: { inspection, drivers: drivers.length > 0 ? new DriverIndex(drivers) : null },
    });
  }
  const releases = KITS.flatMap(({ name: kit, family, releases: own }) =>
    own.map(({ name, madeOn, facts, image }) =>
      releasePart(
        { name: `${kit} ${name}`, kit, version: name, family, madeOn, facts },
        image ? (read.get(image)?.part ?? null) : null,
      ),
    ),
  );
  const computers = Array.from({ length: COMPUTERS }, (_, at): ComputerPart => {
    const { tag, site, facts } = fleetComputer(at);
    return { tag, site, facts: factsSchema.parse(facts) };
  });
  const sites = [...new Set(computers.map((computer) => computer.site))];
  const media = Array.from({ length: MEDIA_COUNT }, (_, at): FleetMedium => {
    const own = MEDIA[at % MEDIA.length] as (typeof MEDIA)[number];
    return {
      part: {
        tag: `MD-${String(at).padStart(4, "0")}`,
        site: sites[(at * 7) % sites.length] ?? null,
        lentTo: at % 29 === 0 ? "Col Marrick" : null,
        retired: false,
        condition: at % 13 === 0 ? "worn" : "good",
        writtenOn: "2026-02-01",
        verified: at % 3 === 0 ? null : { on: "2026-09-01", whole: true },
        copies: [],
      },
      as: attachmentOf(own.kind),
      views: own.image ? (read.get(own.image)?.views ?? null) : null,
      fault: null,
      releases: releases.filter((release) => release.name === own.load),
    };
  });
  return {
    computers,
    media,
    releases: releases.map((part) => ({ part, media: [] })),
    images: computers.filter((_, at) => at % 2 === 0).map(imageOf),
    drills: Array.from({ length: 3_000 }, (_, at) => drillOf(at, computers, media)),
    policy: USUAL_POLICY,
    today: "2026-11-25",
    releasedOn: () => "2024-10-01",
  };
}

function imageOf({ tag, facts }: ComputerPart, at: number): ImagePart {
  const disk = facts.disks?.[0];
  return {
    id: `${tag} 1`,
    computer: tag,
    make: facts.computer.make,
    model: facts.computer.model,
    takenAt: "2026-08-01T10:00:00.000Z",
    kit: "Spindle",
    kitVersion: at % 3 === 0 ? "2.3" : "3.0",
    mode: facts.firmware.kind,
    diskBytes: disk?.bytes ?? null,
    sectorBytes: 512,
    partitions: disk ? partitionsOf(disk) : null,
    encrypted: false,
    keyPlace: null,
    kind: "full",
    parent: null,
    verified: { on: "2026-08-02", whole: true },
    places: [
      at % 4 === 0
        ? { on: "medium", tag: `MD-${String(at % MEDIA_COUNT).padStart(4, "0")}` }
        : { on: "share", name: "Images", sites: null },
    ],
  };
}

function drillOf(at: number, computers: ComputerPart[], media: FleetMedium[]): DrillPart {
  const computer = computers[(at * 31) % computers.length] as ComputerPart;
  return {
    medium: (media[(at * 3) % media.length] as FleetMedium).part.tag,
    computer: computer.tag,
    make: computer.facts.computer.make,
    model: computer.facts.computer.model,
    firmwareVersion: computer.facts.firmware.version,
    on: "2026-06-01",
    result: at % 40 === 0 ? "failed" : "started",
  };
}

const SAMPLE = 2_000;

/** The matrix of a large fleet beside judging its pairs one by one. */
export async function matrixFigures(
  workshop: Workshop,
  show: (what: string, milliseconds: number, note?: string) => void,
): Promise<void> {
  const world = await largeWorld(workshop);
  const clock = <T>(run: () => T): [T, number] => {
    const start = performance.now();
    const value = run();
    return [value, performance.now() - start];
  };
  const memory = () => {
    globalThis.gc?.();
    return process.memoryUsage().rss / 2 ** 20;
  };
  const size = `${COMPUTERS.toLocaleString("en-GB")} x ${MEDIA_COUNT.toLocaleString("en-GB")}`;
  const [matrix, first] = clock(() => new FleetMatrix(world));
  show(`matrix of ${size}, the first time`, first, `${memory().toFixed(0)} MiB in all, the fleet's facts included`);
  const [, again] = clock(() => new FleetMatrix(world));
  show(`matrix of ${size}, again`, again);
  const around = surroundingsOf(world);
  let differing = 0;
  const [, plain] = clock(() => {
    for (let at = 0; at < SAMPLE; at++) {
      const [row, column] = [(at * 4_801) % COMPUTERS, (at * 271) % MEDIA_COUNT];
      const [computer, medium] = [world.computers[row], world.media[column]];
      const best = computer && medium ? rankRoutes(judgePair(around, computer, medium))[0] : undefined;
      if (best?.weakest !== weakestVerdict(matrix.cell(row, column))) differing++;
    }
  });
  const all = ((plain / SAMPLE) * COMPUTERS * MEDIA_COUNT) / 1000;
  show(`pairs one by one, ${SAMPLE} of them`, plain, `all would take ${all.toFixed(0)} s; ${differing} differ`);
  const surest = new SurestChains(matrix);
  const [, standings] = clock(() => {
    for (let row = 0; row < COMPUTERS; row++) surest.standing(row);
  });
  show("the surest chain of every computer", standings);
  const [, counts] = clock(() => {
    for (let column = 0; column < 50; column++) surest.counts(column);
  });
  show("what 50 media come to over all computers", counts);
  const [, answers] = clock(() => {
    for (let row = 0; row < 50; row++) surest.route(row * 199);
  });
  show("the surest route of 50 computers, with reasons", answers);
  const moved = (at: number): ComputerPart => ({ ...(world.computers[at] as ComputerPart), site: `Elsewhere ${at}` });
  const rows = [17, 4_000, 9_999, 250, 7].map((at) => clock(() => matrix.replaceComputer(at, moved(at)))[1]);
  show("one computer changed, the slowest of 5", Math.max(...rows));
  const columns = [17, 400, 999, 250, 7].map((at) => {
    const { part, ...medium } = world.media[at] as FleetMedium;
    const changed = { ...medium, part: { ...part, site: `Elsewhere ${at}` } };
    return clock(() => matrix.replaceMedium(at, changed))[1];
  });
  show("one medium changed, the slowest of 5", Math.max(...columns), columns.map((each) => each.toFixed(0)).join(", "));
}
