import { dice } from "../../../test/support/dice";
import {
  AHCI,
  firmware,
  image,
  LVM,
  main,
  NVME,
  type Parts,
  RAID,
  RAID_CARD,
  SD_HOST,
  second,
  system,
  USB,
  world,
} from "../../../test/support/worlds";
import { routeDocument } from "../words/documents/world-answers";
import { judgedRoutes } from "./answers";
import { readWorld, worldOf } from "./read";

// What is not recorded is unknown, never what somebody would wish: taking a fact away mends nothing.
type Json = null | boolean | number | string | Json[] | { [key: string]: Json };
type Verdicts = Map<string, string>;

function verdictsOf(document: unknown): Verdicts | null {
  const reading = readWorld(document);
  if (!reading.ok) return null;
  const verdicts: Verdicts = new Map();
  for (const { medium, release, outcome, image: id, links } of judgedRoutes(worldOf(reading.document), {}).map(
    routeDocument,
  ))
    for (const [name, { verdict }] of Object.entries(links))
      verdicts.set([medium, release, outcome, id, name].join(" "), verdict);
  return verdicts;
}

/** Paths of all members that could be left out: what an entry is called, and the entries of lists, are no facts. */
function* factsIn(value: Json, path: string[] = []): Generator<string[]> {
  if (value === null || typeof value !== "object") return;
  if (Array.isArray(value)) {
    for (const [index, each] of value.entries()) yield* factsIn(each, [...path, String(index)]);
    return;
  }
  for (const [key, inner] of Object.entries(value)) {
    yield [...path, key];
    yield* factsIn(inner, [...path, key]);
  }
}

function without(document: Json, path: string[]): Json {
  const copy = structuredClone(document);
  let at = copy as Record<string, Json>;
  for (const key of path.slice(0, -1)) at = at[key] as Record<string, Json>;
  delete at[path.at(-1) as string];
  return copy;
}

/** Left out, these say that there is none, or how something is kept, by their published form. */
const NO_FACTS = /^(schema|today|travel|sites|policy|drills|calendars|rules)\b|\.(lost|locked|retired|kind|part)$/;

function worldOfChance(roll: (n: number) => number): Json {
  const one = <T>(...all: T[]): T => all[roll(all.length)] as T;
  const edition = one("Pro", "Home");
  const modes = { kind: one("uefi", "uefi", "bios"), legacyMode: one("on", "off", "absent", "both") };
  const parts: Parts = {
    facts: {
      firmware: firmware({ ...modes, secureBoot: { state: one("on", "off", "absent") }, usbStart: one("on", "off") }),
      disks: one(
        [main()],
        [main(), second()],
        [main({ bytes: 128e9 }), second({ partitions: [] })],
        [main({ partitions: [{ number: 3, type: LVM, bytes: 200e9 }] })],
        [main({ bus: "sata", sectorBytes: one(512, 4096) })],
        [main({ bus: "mmc" }), second({ bus: "usb", removable: one(true, false) })],
      ),
      devices: [one(NVME, AHCI, RAID, RAID_CARD, SD_HOST), AHCI, USB].map((modalias) => ({ modalias })),
      systems: [
        system({ language: one("en-GB", "nb-NO"), arch: one("x64", "ia32"), edition, name: `Windows 11 ${edition}` }),
      ],
    },
    spindle: { facts: { purposes: one(["put-back-images", "file-rescue"], ["put-back-images", "network"]) } },
    lantern: { arch: one("x64", "ia32"), madeOn: one("2026-05-12", "2020-01-01") },
    spindleMedium: {
      site: one("Head office", "North Pier"),
      verified: one({ on: "2026-06-01", whole: true }, { on: "2026-06-01", whole: false }),
    },
    images: [
      image({
        mode: one("uefi", "bios"),
        diskBytes: one(256_060_514_304, 500e9),
        sectorBytes: one(512, 4096),
        computer: one("HO-1", "HO-1", "HO-2"),
        verified: one({ on: "2026-06-30", whole: true }, { on: "2026-06-30", whole: false }),
        encrypted: one(true, false),
        keyPlace: "the safe",
        partitions: one(
          [
            { role: "esp", active: false },
            { role: "system", active: false },
          ],
          [{ role: "system", active: true }],
          [{ role: "data", active: false }],
        ),
        places: [
          one(
            { on: "disk", name: "Disk 3", site: "Head office" },
            { on: "share", name: "Share", sites: ["North Pier"] },
            { on: "computer", tag: "HO-1", diskSerial: one("N1", "S2") },
          ),
        ],
      }),
    ],
  };
  return JSON.parse(JSON.stringify(world(parts))) as Json;
}

test("taking away a fact never turns what is broken into what holds", () => {
  const roll = dice(17);
  const faults = new Set<string>();
  let tried = 0;
  let broken = 0;
  for (let round = 0; round < 12; round++) {
    const whole = worldOfChance(roll);
    const before = verdictsOf(whole);
    expect(before).not.toBeNull();
    for (const path of factsIn(whole)) {
      const name = path.join(".");
      if (NO_FACTS.test(name)) continue;
      const after = verdictsOf(without(whole, path));
      if (!after) continue;
      tried++;
      for (const [route, verdict] of before ?? []) {
        if (verdict !== "broken") continue;
        broken++;
        if (after.get(route)?.startsWith("holds")) faults.add(`${name}: ${route} ${after.get(route)}`);
      }
    }
  }
  expect([...faults].sort()).toEqual([]);
  expect(tried).toBeGreaterThan(1_000);
  expect(broken).toBeGreaterThan(1_000);
});
