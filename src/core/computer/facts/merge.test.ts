import { leftOutFactText } from "../../words/collect";
import {
  applyMerge,
  editedProvenance,
  type FactSource,
  NO_PROVENANCE,
  type Observation,
  observe,
  planMerge,
  sourceOf,
} from "./merge";
import { assemble, flatten, type PartialFacts } from "./paths";
import { FACTS_SCHEMA, type Facts, factsSchema } from "./schema";

const source = (kind: FactSource["kind"], at: string, name: string = kind): FactSource => ({
  kind,
  name,
  at,
  by: kind === "hand" ? "Ina" : null,
});
const seen = (
  facts: PartialFacts,
  kind: FactSource["kind"] = "tool",
  at = "2026-03-02T00:00:00.000Z",
  complete: string[] = [],
): Observation => observe(source(kind, at), facts, complete);
const whole = (facts: object): Facts => factsSchema.parse({ schema: FACTS_SCHEMA, ...facts });
const disk = (more: object = {}) => ({
  name: "sda",
  bytes: 500e9,
  serial: "A1",
  partitions: [{ number: 1, bytes: 1e9, role: "esp" }],
  ...more,
});
/** Facts that a person set, and the marks that say so. */
function byHand(facts: object): { facts: Facts; provenance: ReturnType<typeof editedProvenance> } {
  const made = whole(facts);
  return {
    facts: made,
    provenance: editedProvenance(null, NO_PROVENANCE, made, source("hand", "2026-03-01T00:00:00.000Z")),
  };
}

test("facts come back from their paths as they were", () => {
  const facts = whole({
    computer: { make: "Corvane" },
    firmware: { kind: "uefi", secureBoot: { state: "on" }, keys: { setup: "F2" }, startOrder: ["0001"] },
    memoryBytes: 1,
    disks: [disk(), disk({ name: "disk/with%slash", serial: "B2", partitions: [] }), disk({ serial: "C3" })],
    systems: [{ name: "Kittiwake", version: "9" }],
    devices: [],
    ports: { usb: 2 },
  });
  expect(assemble(flatten(facts)).facts).toEqual({
    ...facts,
    firmware: { ...facts.firmware, keys: { setup: "F2", startMenu: null, save: null } },
  });
});

test("what several outputs tell of one disk is put together, fact by fact, each with its source", () => {
  const lsblk = seen({
    disks: [{ name: "sda", bytes: 500e9, partitions: [{ number: 1, bytes: 1e9, filesystem: "fat32" }] }],
  });
  const sfdisk = {
    ...seen({ disks: [{ name: "sda", table: "gpt", partitions: [{ number: 1, bytes: 1e9, start: 1048576 }] }] }),
    source: source("tool", "2026-03-02T00:00:00.000Z", "sfdisk"),
  };
  const { facts, provenance } = applyMerge(null, NO_PROVENANCE, [lsblk, sfdisk]);
  expect(facts.disks).toMatchObject([{ table: "gpt", partitions: [{ filesystem: "fat32", start: 1048576 }] }]);
  expect(sourceOf(provenance, "disks/sda/partitions/1/filesystem")?.name).toBe("tool");
  expect(sourceOf(provenance, "disks/sda/table")?.name).toBe("sfdisk");
});

test("the plan says what is added, replaced, contradicted and confirmed", () => {
  const recorded = applyMerge(null, NO_PROVENANCE, [
    seen({ computer: { make: "Corvane", model: "Slate 13" } }, "tool", "2026-03-01T00:00:00.000Z"),
  ]);
  const plan = planMerge(recorded.facts, recorded.provenance, [
    seen({ computer: { make: "Corvane", model: "Slate 14", serial: "S1" } }),
    seen({ computer: { serial: "S2" } }, "collector"),
  ]);
  expect(plan.changes.map(({ path, effect, take, why }) => [path, effect, take, why])).toEqual([
    ["computer/model", "replaces", 0, null],
    ["computer/serial", "contradicts", 1, "sources-differ"],
  ]);
  expect([...plan.confirmed.keys()]).toEqual(["computer/make"]);
});

test("a fact set by hand is kept unless chosen otherwise, and keeps its mark when it is confirmed", () => {
  const { facts, provenance } = byHand({ firmware: { usbStart: "on", fastBoot: "off" } });
  const observations = [seen({ firmware: { usbStart: "off", fastBoot: "off" } })];
  expect(planMerge(facts, provenance, observations).changes).toMatchObject([
    { path: "firmware/usbStart", effect: "contradicts", take: null, why: "set-by-hand", currentSource: { by: "Ina" } },
  ]);
  const kept = applyMerge(facts, provenance, observations);
  expect(kept.facts.firmware).toMatchObject({ usbStart: "on", fastBoot: "off" });
  expect(sourceOf(kept.provenance, "firmware/fastBoot")?.kind).toBe("hand");
  const chosen = applyMerge(facts, provenance, observations, { "firmware/usbStart": 0 });
  expect(chosen.facts.firmware.usbStart).toBe("off");
  expect(sourceOf(chosen.provenance, "firmware/usbStart")?.kind).toBe("tool");
});

test("an older output does not take back what is known from later", () => {
  const now = applyMerge(null, NO_PROVENANCE, [
    seen({ firmware: { version: "2.19" } }, "collector", "2026-05-01T00:00:00.000Z"),
  ]);
  const old = seen({ firmware: { version: "2.18" } }, "collector", "2025-01-01T00:00:00.000Z");
  expect(planMerge(now.facts, now.provenance, [old]).changes).toMatchObject([{ take: null, why: "older" }]);
});

describe("disks", () => {
  const recorded = applyMerge(null, NO_PROVENANCE, [seen({ disks: [disk()] })]);

  test("the same serial is the same disk, whatever it is called today", () => {
    const renamed = seen(
      { disks: [{ name: "sdb", serial: "A1", bytes: 500e9, partitions: [{ number: 1, bytes: 1e9, usedBytes: 7 }] }] },
      "collector",
      "2026-04-01T00:00:00.000Z",
      ["disks", "disks/sdb/partitions"],
    );
    const { facts, provenance } = applyMerge(recorded.facts, recorded.provenance, [renamed]);
    expect(facts.disks).toMatchObject([{ name: "sdb", partitions: [{ number: 1, role: "esp", usedBytes: 7 }] }]);
    expect(sourceOf(provenance, "disks/sdb/partitions/1/role")?.kind).toBe("tool");
    expect(sourceOf(provenance, "disks/sdb/partitions/1/usedBytes")?.kind).toBe("collector");
  });

  test("another serial under the same name is another disk; the one that a whole list leaves out is gone", () => {
    const other = seen(
      { disks: [disk({ serial: "B2", bytes: 1e12, partitions: [] })] },
      "collector",
      "2026-04-01T00:00:00.000Z",
      ["disks"],
    );
    const plan = planMerge(recorded.facts, recorded.provenance, [other]);
    expect(plan.changes.filter((each) => each.effect === "removes").map((each) => each.path)).toEqual(["disks/sda"]);
    const { facts, provenance } = applyMerge(recorded.facts, recorded.provenance, [other]);
    expect(facts.disks).toMatchObject([{ name: "sda", serial: "B2", bytes: 1e12, partitions: [] }]);
    expect(sourceOf(provenance, "disks/sda/bytes")?.kind).toBe("collector");
  });

  test("what speaks of a disk by name only means the disk that bears the name now, in whatever order it is told", () => {
    const table = seen({ disks: [{ name: "sda", table: "gpt", partitions: [{ number: 1, bytes: 7, label: "new" }] }] });
    const list = seen(
      { disks: [{ name: "sda", bytes: 1e12, serial: "B2" }] },
      "collector",
      "2026-04-01T00:00:00.000Z",
      ["disks"],
    );
    for (const observations of [
      [table, list],
      [list, table],
    ]) {
      const { facts } = applyMerge(recorded.facts, recorded.provenance, observations);
      expect(facts.disks).toMatchObject([{ serial: "B2", table: "gpt", partitions: [{ number: 1, label: "new" }] }]);
    }
  });

  test("a partition that is gone is gone whole; one that a hand set is kept", () => {
    const fewer = seen(
      { disks: [{ name: "sda", serial: "A1", bytes: 500e9, partitions: [{ number: 2, bytes: 5 }] }] },
      "collector",
      "2026-04-01T00:00:00.000Z",
      ["disks/sda/partitions"],
    );
    expect(
      applyMerge(recorded.facts, recorded.provenance, [fewer]).facts.disks?.[0]?.partitions.map((each) => each.number),
    ).toEqual([2]);
    const hand = byHand({ disks: [disk()] });
    expect(
      applyMerge(hand.facts, hand.provenance, [fewer]).facts.disks?.[0]?.partitions.map((each) => each.number),
    ).toEqual([1, 2]);
  });

  test("a disk of which no output tells the size is left out, and the sentence says what to drop", () => {
    const { facts, left } = applyMerge(null, NO_PROVENANCE, [seen({ disks: [{ name: "sda", table: "gpt" }] })]);
    expect(facts.disks).toEqual([]);
    expect(left.map(leftOutFactText).join()).toMatch(/Size of disk sda not recorded.*lsblk/);
  });
});

test("a value that does not fit the form is left out and told; hostile paths touch nothing", () => {
  const observation: Observation = {
    source: source("tool", "2026-03-02T00:00:00.000Z"),
    complete: [],
    rounded: [],
    values: [
      ["firmware/kind", "toaster"],
      ["computer/make", "Corvane"],
      ["computer/__proto__/polluted", true],
      ["constructor/prototype/polluted", true],
    ],
  };
  const { facts, left } = applyMerge(null, NO_PROVENANCE, [observation]);
  expect(facts.firmware.kind).toBeNull();
  expect(facts.computer.make).toBe("Corvane");
  expect(left).toEqual(expect.arrayContaining([expect.objectContaining({ code: "value-unfit", at: "firmware/kind" })]));
  expect(({} as Record<string, unknown>).polluted).toBeUndefined();
});

test("merging the same outputs twice changes nothing the second time", () => {
  const observations = [
    seen(
      { computer: { make: "Corvane" }, disks: [disk()], systems: [{ name: "Kittiwake", version: "9" }] },
      "collector",
      "2026-03-02T00:00:00.000Z",
      ["disks", "disks/sda/partitions"],
    ),
  ];
  const once = applyMerge(null, NO_PROVENANCE, observations);
  expect(planMerge(once.facts, once.provenance, observations).changes).toEqual([]);
  expect(applyMerge(once.facts, once.provenance, observations)).toMatchObject({
    facts: once.facts,
    provenance: once.provenance,
    taken: 0,
  });
});

test("an edit marks what it changed as set by hand, and leaves the other marks", () => {
  const before = applyMerge(null, NO_PROVENANCE, [seen({ firmware: { usbStart: "on", fastBoot: "on" } })]);
  const after = { ...before.facts, firmware: { ...before.facts.firmware, fastBoot: "off" as const } };
  const provenance = editedProvenance(
    before.facts,
    before.provenance,
    after,
    source("hand", "2026-04-01T00:00:00.000Z"),
  );
  expect(sourceOf(provenance, "firmware/fastBoot")).toMatchObject({ kind: "hand", by: "Ina" });
  expect(sourceOf(provenance, "firmware/usbStart")?.kind).toBe("tool");
});
