import { type DiskFacts, factsSchema } from "../computer/facts/schema";
import type { StoredPoint } from "../images/lineage";
import type { ImagePart, ImagePlace } from "../judging/model/parts";
import type { Link, Verdict } from "../judging/model/schema";
import type { OutcomeKind } from "../judging/routes/outcome";
import type { Route } from "../judging/routes/routes";
import { stepText } from "../words/steps";
import { type CallOutFacts, offersFor } from "./offers";
import { imageFit, largestThatFits, whatToShrink } from "./replacement";
import { isDangerous } from "./step";
import { type CalloutInput, calloutSteps } from "./steps";

const link = (verdict: Verdict): Link => ({ verdict, basis: null, changes: [], reasons: [], trace: [] });
const image = (on: string) => ({ id: on, takenAt: `${on}T18:00:00.000Z` }) as ImagePart;
function route(
  medium: string,
  kind: OutcomeKind,
  more: { image?: string; restores?: Verdict; proven?: Verdict; distance?: number } = {},
): Route {
  const { restores = "holds", proven = "unknown", distance = 0 } = more;
  const links = {
    atHand: link("holds"),
    starts: link("holds"),
    sees: link("holds"),
    restores: link(restores),
    proven: link(proven),
  };
  const outcome = { kind, image: more.image ? image(more.image) : null };
  return { computer: "A", medium, as: "usb", release: "R", outcome, links, weakest: restores, distance, madeOn: null };
}
const point = (on: string, more: Partial<StoredPoint> = {}): CallOutFacts["points"][number] => ({
  ...{ id: on, computer: "A", takenAt: `${on}T18:00:00.000Z`, kind: "full", parent: null, isThere: true },
  ...{ verified: { on, whole: true }, storedBytes: 36e9, usedBytes: 60e9, link: "usb3" },
  ...more,
});
const facts = (more: Partial<CallOutFacts> = {}): CallOutFacts => ({
  ...{ happening: "does-not-start", since: null, today: "2026-11-26", points: [], past: {} },
  ...more,
});
const told = (routes: Route[], given: CallOutFacts) =>
  offersFor(routes, given).offers.map(({ route: { medium }, outcome, image: name }) =>
    [medium, outcome, name].filter(Boolean).join(" "),
  );

const ALL = [
  route("M1", "files"),
  route("M2", "reinstall"),
  route("M3", "image", { image: "2026-10-01" }),
  route("M4", "start-up"),
];
const POINTS = [point("2026-10-01")];

test.each<[CallOutFacts["happening"], string[]]>([
  ["does-not-start", ["M4 start-up", "M3 image 2026-10-01", "M2 reinstall", "M1 files"]],
  ["disk-gone", ["M3 image 2026-10-01", "M2 reinstall"]],
  ["malware", ["M3 image 2026-10-01", "M2 reinstall", "M1 files"]],
  ["bad-update", ["M4 start-up", "M3 image 2026-10-01", "M2 reinstall"]],
  ["files-lost", ["M3 image 2026-10-01", "M1 files"]],
])("after %s what makes sense is offered, the best first", (happening, offers) => {
  expect(told(ALL, facts({ happening, since: "2026-11-20", points: POINTS }))).toEqual(offers);
});

test("after malware without the day of the fault no image is known to be clean", () => {
  expect(told(ALL, facts({ happening: "malware", points: POINTS }))).toEqual([
    ...["M2 reinstall", "M1 files", "M3 image 2026-10-01"],
  ]);
});

test("attaching a store is no demerit: yesterday's image comes before an old one and before a new installation", () => {
  const routes = [
    route("old", "image", { image: "2024-11-01" }),
    route("away", "image", { image: "2026-11-25", restores: "holds-after-change" }),
    route("M2", "reinstall"),
    route("M1", "files"),
  ];
  const points = [point("2024-11-01"), point("2026-11-25")];
  const { offers } = offersFor(routes, facts({ points }));
  expect(offers.map(({ route: { medium }, lost }) => [medium, lost.code])).toEqual([
    ["away", "since-image"],
    ["old", "since-image"],
    ["M2", "everything"],
    ["M1", "all-but-files"],
  ]);
});

test("the image is the newest from before the fault; younger ones are named, not offered", () => {
  const days = ["2026-08-01", "2026-09-01", "2026-10-01"];
  const routes = days.map((day) => route("M", "image", { image: day }));
  const given = facts({ happening: "malware", since: "2026-09-15", points: days.map((day) => point(day)) });
  const { offers, passedOver } = offersFor(routes, given);
  expect(offers.map(({ image: name, lostDays }) => [name, lostDays])).toEqual([
    ["2026-09-01", 86],
    ["2026-08-01", 117],
  ]);
  expect(passedOver).toEqual([{ image: "2026-10-01", takenAt: "2026-10-01T18:00:00.000Z", why: "after-the-fault" }]);
});

test("a verified image comes before a newer one that never was, and what cannot be gone back to is passed over", () => {
  const days = ["2026-08-01", "2026-09-01", "2026-10-01"];
  const routes = days.map((day) =>
    route("M", "image", { image: day, restores: day === "2026-09-01" ? "holds" : "unknown" }),
  );
  const points = [
    point("2026-08-01"),
    point("2026-09-01", { verified: null }),
    point("2026-10-01", { isThere: false }),
  ];
  const sameVerdict = days.map((day) => route("M", "image", { image: day }));
  expect(told(sameVerdict, facts({ happening: "disk-gone", points }))).toEqual([
    "M image 2026-08-01",
    "M image 2026-09-01",
  ]);
  expect(
    offersFor(routes, facts({ happening: "disk-gone", points })).passedOver.map(({ image: name, why }) => [name, why]),
  ).toEqual([["2026-10-01", "not-usable"]]);
});

test("a medium that is away takes longer; one that failed when it was tried is not offered", () => {
  const routes = [
    route("far", "start-up", { distance: 1 }),
    route("near", "start-up"),
    route("bad", "start-up", { proven: "broken" }),
  ];
  const { offers } = offersFor(routes, facts());
  expect(offers.map(({ route: { medium } }) => medium)).toEqual(["near", "far"]);
  expect((offers[1]?.seconds.low ?? 0) - (offers[0]?.seconds.low ?? 0)).toBe(28 * 60);
});

test("36 GB by USB 3 take minutes, and what was measured before speaks for itself", () => {
  const routes = [route("M3", "image", { image: "2026-10-01" })];
  const [usual] = offersFor(routes, facts({ happening: "disk-gone", points: POINTS })).offers;
  // By hand: fetching 2 to 15, starting 4 to 20, 60 GB onto a hard disk at 60 to 150 MB/s, updates 10 to 60 minutes.
  expect(Math.round((usual?.seconds.low ?? 0) / 60)).toBe(Math.round(2 + 4 + 60e9 / 150e6 / 60 + 10));
  expect(Math.round((usual?.seconds.high ?? 0) / 60)).toBe(Math.round(15 + 20 + 60e9 / 60e6 / 60 + 60));
  // Of which giving back itself takes only that of the image.
  expect(Math.round((usual?.times.restoring.low ?? 0) / 60)).toBe(Math.round(60e9 / 150e6 / 60));
  const [learned] = offersFor(
    routes,
    facts({ happening: "disk-gone", points: POINTS, past: { image: [3000, 2400, 3600] } }),
  ).offers;
  expect(learned?.seconds).toEqual({ low: 2400 + 120, likely: 3000 + 300, high: 3600 + 900 });
});

test("an estimate says what would narrow it, and is narrow where that is known", () => {
  const image = POINTS.find(({ id }) => id === "2026-10-01");
  const told = (more: object, past = {}) =>
    offersFor(
      [route("M3", "image", { image: "2026-10-01" })],
      facts({ happening: "disk-gone", points: [{ ...(image as (typeof POINTS)[number]), ...more }], past }),
    ).offers[0]?.times;
  const width = (more: object) => {
    const { low = 0, high = 0 } = told(more)?.restoring ?? {};
    return high / low;
  };
  expect(told({ usedBytes: null, storedBytes: null })?.openFacts).toEqual(["image-size"]);
  expect(told({ link: null })?.openFacts).toEqual(["store-link"]);
  expect(told({ link: null, readRate: 100e6 })?.openFacts).toEqual([]);
  // What is in use tells the size of the files within the usual compression: half to seven tenths.
  expect(width({ storedBytes: null })).toBeLessThan(width({ usedBytes: null, storedBytes: null }));
  // A slow store that was measured decides: it is reached again within a fifth.
  expect(width({ readRate: 1e6 })).toBeCloseTo(1 / 0.8, 5);
  expect(told({ link: null }, { image: [3000, 2400, 3600] })?.openFacts).toEqual([]);
  // Of several copies the one counts that is brought, and else the one on the medium itself.
  const copies = [
    { place: "Image share", link: null, readRate: 200e6 },
    { place: "M3", link: null, readRate: 1e6 },
  ];
  expect(told({ copies })?.restoring.likely).toBe(told({ readRate: 1e6 })?.restoring.likely);
  const stored = route("M3", "image", { image: "2026-10-01" });
  const restores = {
    ...stored.links.restores,
    changes: [{ setting: "store", from: "away", to: "Image share" } as const],
  };
  const brought = { ...stored, links: { ...stored.links, restores } };
  const points = [{ ...(image as (typeof POINTS)[number]), copies }];
  expect(offersFor([brought], facts({ happening: "disk-gone", points })).offers[0]?.times.restoring.likely).toBe(
    told({ readRate: 200e6 })?.restoring.likely,
  );
});

describe("replacement parts", () => {
  const images = [
    { id: "small", takenAt: "2026-01-01", diskBytes: 250e9, sectorBytes: 512 },
    { id: "large", takenAt: "2026-02-01", diskBytes: 500e9, sectorBytes: 512 },
    { id: "newer", takenAt: "2026-03-01", diskBytes: 250e9, sectorBytes: 512 },
  ];
  const disk = { bytes: 480e9, sectorBytes: 512, bus: "sata" };

  test("the disk that an image came from decides, not what is in it", () => {
    expect(images.map((each) => imageFit(each, disk).state)).toEqual(["fits", "too-small", "fits"]);
    expect(imageFit(images[1] as (typeof images)[number], disk)).toEqual({ state: "too-small", lackingBytes: 20e9 });
    expect(largestThatFits(images, disk)?.id).toBe("newer");
    expect(largestThatFits(images, { ...disk, bytes: 100e9 })).toBeNull();
    expect(imageFit(images[0] as (typeof images)[number], { ...disk, sectorBytes: 4096 }).state).toBe("other-sectors");
    expect(imageFit(images[0] as (typeof images)[number], { ...disk, sectorBytes: 4096 }, true).state).toBe("fits");
  });

  test("data is made smaller before the system, as far as it has room", () => {
    const partition = (number: number, role: string, bytes: number, usedBytes: number | null) => ({
      number,
      role,
      bytes,
      usedBytes,
    });
    const old = factsSchema.parse({
      schema: "creel.facts/1",
      computer: { tag: "A" },
      firmware: { kind: "uefi", arch: "x64" },
      disks: [
        {
          name: "sda",
          bytes: 500e9,
          partitions: [
            partition(1, "esp", 1e9, 0.1e9),
            partition(2, "system", 299e9, 80e9),
            partition(3, "data", 200e9, 150e9),
          ],
        },
      ],
    }).disks?.[0] as DiskFacts;
    expect(whatToShrink(old, { ...disk, bytes: 480e9 })).toMatchObject({
      lackingBytes: 20e9,
      steps: [{ partition: "partition 3", giveBytes: 20e9 }],
      stillLackingBytes: 0,
    });
    const much = whatToShrink(old, { ...disk, bytes: 300e9 });
    // The data partition has 50 GB free and keeps 15 of them; the system gives the rest.
    expect(much.steps.map(({ partition: name, giveBytes }) => [name, giveBytes])).toEqual([
      ["partition 3", 35e9],
      ["partition 2", 165e9],
    ]);
    expect(whatToShrink(old, { ...disk, bytes: 200e9 }).stillLackingBytes).toBe(300e9 - 35e9 - 211e9);
    expect(whatToShrink(old, { ...disk, bytes: 600e9 })).toMatchObject({
      lackingBytes: 0,
      steps: [],
      stillLackingBytes: 0,
    });
  });
});

const SHARE: ImagePlace = { on: "share", name: "Image share", sites: null };

describe("the guided run sheet", () => {
  const input = (more: Partial<CalloutInput["gives"]> = {}, firmware: object = {}): CalloutInput => ({
    computer: {
      ...{ tag: "HO-001", name: null, siteName: "Head office" },
      facts: factsSchema.parse({
        schema: "creel.facts/1",
        computer: { tag: "HO-001" },
        firmware: { kind: "uefi", arch: "x64", ...firmware },
      }),
    },
    medium: {
      tag: "SP-01",
      name: null,
      kind: "disk",
      siteName: "Head office",
      lentTo: null,
      loads: ["Spindle 3.0"],
    },
    ...{ as: "usb", starts: link("holds"), keyCard: null },
    gives: {
      ...{ outcome: "image", release: "Spindle 3.0", drivers: [], times: null },
      image: { name: "HO-001 2026-10-30", takenAt: "2026-10-30T18:00:00Z", places: [SHARE], keyPlace: null },
      target: { name: "sda", bytes: 500e9, model: "Ostrel 500", serial: "SDA1" },
      ...more,
    },
  });
  const keys = (given: CalloutInput) => calloutSteps(given).map(({ step }) => step.code);

  test("an image on a share: the store is fetched first and attached late, the target said with size and serial", () => {
    const steps = calloutSteps(input());
    const order = steps.map(({ step }) => step.code);
    expect(order.indexOf("attach-store")).toBeGreaterThan(order.indexOf("look"));
    expect(order.indexOf("fetch-store")).toBe(1);
    expect(order.slice(-4)).toEqual(["put-back", "updates", "applications", "write-down"]);
    const target = steps.find(({ step }) => step.code === "choose-target")?.step;
    expect(target && isDangerous(target)).toBe(true);
    expect(target && stepText(target).act).toContain("500 GB (shows as 466 GiB), Ostrel 500, serial SDA1");
  });

  test("an image on the medium itself needs no store; a repair touches no disk; drivers are loaded before disks are looked for", () => {
    expect(
      keys(
        input({
          image: {
            name: "x",
            takenAt: "2026-10-30T18:00:00Z",
            places: [{ on: "medium", tag: "SP-01" }],
            keyPlace: null,
          },
        }),
      ),
    ).not.toContain("attach-store");
    expect(keys(input({ outcome: "start-up", image: null }))).not.toContain("choose-target");
    const order = keys(input({ drivers: ["nlstor.inf from Lantern 12"] }));
    expect(order.indexOf("drivers")).toBeLessThan(order.indexOf("look"));
  });

  test("where it is not in the start menu, what is likeliest for this computer is looked at first", () => {
    const first = (firmware: object) =>
      calloutSteps(input({}, firmware)).find(({ step }) => step.code === "start")?.branches[0]?.checks[0]?.code;
    expect(first({ fastBoot: "on" })).toBe("fast-boot");
    expect(first({ fastBoot: "off", usbStart: "off" })).toBe("usb-start");
    expect(first({ fastBoot: "off", usbStart: "on" })).toBe("other-port");
  });

  test("no step is there twice", () => {
    for (const outcome of ["image", "reinstall", "start-up", "files"] as const) {
      const own = keys(input({ outcome }));
      expect(new Set(own).size).toBe(own.length);
    }
  });
});
