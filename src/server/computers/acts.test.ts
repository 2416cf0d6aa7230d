import { eq } from "drizzle-orm";
import { type Observation, observe, sourceOf } from "@/core/computer/facts/merge";
import type { PartialFacts } from "@/core/computer/facts/paths";
import { allowing, revoking } from "../../../scripts/demo/signers";
import { testInventory, value } from "../../../test/support/database";
import { computerFacts, computers, disks, secureBootLists } from "../db/schema";
import { fleet } from "../fleet/fleet";
import { importCalendar, listSystems } from "../inventory/calendars";
import { addComputer, type ComputerDetail, getComputer, retireComputer } from "../inventory/computers";
import { history } from "../inventory/events";
import { keyCardOf, listModels, saveKeyCard } from "../inventory/key-cards";
import { addSite } from "../inventory/sites";
import { bulkChange, latestBatches, previewBulk, undoBatch } from "./bulk";
import { copyComputer, moveComputer, previewFacts, replaceDisk, setPartition, takeInFacts } from "./computer-acts";
import { filterChoices, listComputers } from "./computer-list";
import { listViews, removeView, saveView } from "./saved-views";

const inventory = testInventory();
const get = async (tag: string) => (await getComputer(inventory.ina, tag)) as ComputerDetail;
const add = async (tag: string, facts: object = {}, more: object = {}) => {
  value(
    await addComputer(inventory.ina, {
      tag,
      name: null,
      siteId: null,
      note: null,
      facts: { schema: "creel.facts/1", ...facts },
      ...more,
    }),
  );
  return get(tag);
};
const told = (facts: PartialFacts, name = "lsblk", at = "2026-04-01T00:00:00.000Z"): Observation =>
  observe({ kind: "tool", name, at, by: null }, facts);
const tags = async (filter: Parameters<typeof listComputers>[1]) =>
  (await listComputers(inventory.ina, filter)).items.map((item) => item.tag);

describe("taking facts in", () => {
  const observations = [
    told({
      computer: { tag: "TF-1", serial: "TS1", make: "Corvane" },
      firmware: { kind: "uefi", arch: "x64", version: "2.18", secureBoot: { state: "off" } },
    }),
  ];

  test("a new computer is made of them, each fact with its source", async () => {
    const preview = value(await previewFacts(inventory.ina, { tag: null, observations, choices: {} }));
    expect(preview).toMatchObject({ tag: "TF-1", known: null, affected: [] });
    expect(preview.changes.map((change) => change.effect)).toEqual(new Array(6).fill("adds"));
    expect(await getComputer(inventory.ina, "TF-1")).toBeNull();
    value(await takeInFacts(inventory.ina, { tag: null, observations, choices: {} }, null));
    const detail = await get("TF-1");
    expect(sourceOf(detail.provenance, "firmware/version")).toMatchObject({ kind: "tool", name: "lsblk" });
    expect((await history(inventory.ina, "computer", detail.row.id))[0]).toMatchObject({
      action: "added",
      note: "from lsblk",
    });
  });

  test("the computer is found by its serial where no tag is told; a firmware update is noticed with what it touches", async () => {
    const later = [
      told(
        { computer: { serial: "TS1" }, firmware: { version: "2.19", secureBoot: { state: "on" } } },
        "collector",
        "2026-05-01T00:00:00.000Z",
      ),
    ];
    const preview = value(await previewFacts(inventory.ina, { tag: null, observations: later, choices: {} }));
    expect(preview).toMatchObject({ tag: "TF-1", known: { version: 1 }, confirmed: 1 });
    expect(preview.affected.map((each) => each.code)).toEqual(["firmware-updated", "secure-boot-changed"]);
    expect(await takeInFacts(inventory.col, { tag: null, observations: later, choices: {} }, 7)).toMatchObject({
      ok: false,
      problem: { code: "stale", version: 1 },
    });
    value(
      await takeInFacts(
        inventory.col,
        { tag: null, observations: later, choices: { "firmware/secureBoot/state": null } },
        1,
      ),
    );
    expect(await get("TF-1")).toMatchObject({ row: { version: 2, firmwareVersion: "2.19", secureBoot: "off" } });
    expect((await history(inventory.ina, "computer", (await get("TF-1")).row.id))[0]).toMatchObject({
      action: "took in facts of",
      personName: "Col Marrick",
      note: "from collector",
    });
  });

  test("facts that only confirm make no event and no new version", async () => {
    const same = [told({ computer: { serial: "TS1", make: "Corvane" } }, "dmidecode", "2026-06-01T00:00:00.000Z")];
    value(await takeInFacts(inventory.ina, { tag: "TF-1", observations: same, choices: {} }, 2));
    const detail = await get("TF-1");
    expect(detail.row.version).toBe(2);
    expect(sourceOf(detail.provenance, "computer/make")?.name).toBe("dmidecode");
  });

  test("without a tag that anybody names, a new computer needs one", async () => {
    const nameless = [told({ computer: { make: "Corvane" } })];
    expect(await takeInFacts(inventory.ina, { tag: null, observations: nameless, choices: {} }, null)).toMatchObject({
      ok: false,
      problem: { code: "invalid", fields: { tag: expect.stringMatching(/tag is needed/) } },
    });
  });
});

describe("acts", () => {
  test("replacing a disk: the new one is empty, the old one's serial stays in the history, images' needs follow", async () => {
    const before = await add("RD-1", {
      disks: [{ name: "sda", bytes: 500e9, serial: "OLD", partitions: [{ number: 1, bytes: 1e9, role: "system" }] }],
    });
    const disk = { index: 0, bytes: 1e12, sectorBytes: 512, bus: "sata", model: "Halyde 1T", serial: "NEW" };
    expect(await replaceDisk(inventory.ina, before.row.id, 1, { ...disk, index: 4 })).toMatchObject({
      ok: false,
      problem: { code: "not-found" },
    });
    value(await replaceDisk(inventory.ina, before.row.id, 1, disk));
    const after = await get("RD-1");
    expect(after.facts.disks).toMatchObject([{ name: "sda", bytes: 1e12, serial: "NEW", partitions: [] }]);
    expect(
      await inventory.ina.db.select({ serial: disks.serial }).from(disks).where(eq(disks.computerId, before.row.id)),
    ).toEqual([{ serial: "NEW" }]);
    expect((await history(inventory.ina, "computer", before.row.id))[0]).toMatchObject({
      action: "replaced a disk of",
      note: "sda, serial OLD went",
    });
    expect(await tags({ text: "new rd-1" })).toEqual(["RD-1"]);
  });

  test("what a partition is for, and where its key is kept, are set by hand; a key is refused", async () => {
    const { row } = await add("PT-1", {
      disks: [
        { name: "sda", bytes: 9, partitions: [{ number: 2, bytes: 5, filesystem: "ntfs", encryption: "bitlocker" }] },
      ],
    });
    const set = (version: number, change: object) =>
      setPartition(inventory.ina, row.id, version, { disk: 0, partition: 2, change });
    value(await set(1, { role: "system" }));
    expect(await set(2, { keyPlace: "123456-234567-345678-456789-567890-678901-789012-890123" })).toMatchObject({
      ok: false,
      problem: { code: "refused", why: { code: "key-typed" }, field: "place" },
    });
    value(await set(2, { keyPlace: "Safe, envelope 2" }));
    const { facts, provenance } = await get("PT-1");
    expect(facts.disks?.[0]?.partitions[0]).toMatchObject({ role: "system", keyPlace: "Safe, envelope 2" });
    expect(sourceOf(provenance, "disks/sda/partitions/2/role")).toMatchObject({ kind: "hand", by: "Ina Torvald" });
    expect(sourceOf(provenance, "disks/sda/partitions/2/filesystem")?.kind).toBe("hand");
  });

  test("a computer like another: nothing that identifies the one is copied", async () => {
    await add("CP-1", {
      computer: { make: "Corvane", model: "Slate 14", serial: "ONE" },
      firmware: { kind: "uefi", arch: "x64", startOrder: ["0001"] },
      disks: [
        {
          name: "sda",
          bytes: 5,
          serial: "D1",
          partitions: [{ number: 1, bytes: 4, usedBytes: 3, encryption: "luks", keyPlace: "Safe" }],
        },
      ],
    });
    value(await copyComputer(inventory.ina, "CP-1", { tag: "CP-2", name: "Twin", siteId: null, serial: "TWO" }));
    const copy = await get("CP-2");
    expect(copy.facts).toMatchObject({
      computer: { tag: "CP-2", make: "Corvane", serial: "TWO" },
      firmware: { kind: "uefi", startOrder: null },
      disks: [{ serial: null, partitions: [{ usedBytes: null, keyPlace: null, encryption: "luks" }] }],
    });
    expect(sourceOf(copy.provenance, "computer/make")).toMatchObject({ kind: "template", name: "CP-1" });
    expect(
      await copyComputer(inventory.ina, "CP-1", { tag: "CP-2", name: null, siteId: null, serial: null }),
    ).toMatchObject({ ok: false, problem: { code: "taken" } });
  });

  test("moving and retiring are one act each, with history and under the version that was seen", async () => {
    const siteId = value(await addSite(inventory.ina, { name: "Sandsay" }));
    const { row } = await add("MV-1");
    value(await moveComputer(inventory.ina, row.id, 1, siteId));
    expect(await moveComputer(inventory.col, row.id, 1, null)).toMatchObject({ ok: false, problem: { code: "stale" } });
    value(await retireComputer(inventory.ina, row.id, 2, true));
    expect((await history(inventory.ina, "computer", row.id)).map((event) => [event.action, event.note])).toEqual([
      ["retired", null],
      ["moved", "from no recorded site to Sandsay"],
      ["added", null],
    ]);
  });
});

describe("a change over many", () => {
  beforeAll(async () => {
    for (const index of [1, 2, 3])
      await add(`BK-${index}`, { firmware: { kind: "uefi", fastBoot: index === 3 ? "off" : "on" } });
  });
  const filter = { filter: { text: "bk-" } };
  const change = { field: "fastBoot", value: "off" };

  test("is shown before it is done: how many, what they have now, and some of them", async () => {
    expect(value(await previewBulk(inventory.ina, filter, change))).toEqual({
      chosen: 3,
      changes: 2,
      now: [
        { value: "on", count: 2 },
        { value: "off", count: 1 },
      ],
      sample: [
        { tag: "BK-1", name: null, before: "on", after: "off" },
        { tag: "BK-2", name: null, before: "on", after: "off" },
      ],
    });
    expect((await get("BK-1")).facts.firmware.fastBoot).toBe("on");
  });

  test("is done at once, logged for each, and undone except where somebody changed the computer since", async () => {
    const { batchId, changed } = value(await bulkChange(inventory.ina, filter, change));
    expect(changed).toBe(2);
    expect((await latestBatches(inventory.ina))[0]).toMatchObject({
      id: batchId,
      summary: "fast boot set to off",
      computers: 2,
    });
    // What it starts from is judged with the setting as it is now.
    expect(await tags({ text: "BK-" })).toEqual(expect.arrayContaining(["BK-1", "BK-2"]));
    const now = await fleet(inventory.ina);
    expect(now.computers.find(({ tag }) => tag === "BK-1")?.facts.firmware.fastBoot).toBe("off");
    const { row } = await get("BK-2");
    value(
      await moveComputer(
        inventory.col,
        row.id,
        row.version,
        value(await addSite(inventory.ina, { name: "Elsewhere" })),
      ),
    );
    expect(value(await undoBatch(inventory.ina, batchId))).toEqual({ undone: 1, changedSince: ["BK-2"] });
    expect((await get("BK-1")).facts.firmware.fastBoot).toBe("on");
    expect((await get("BK-2")).facts.firmware.fastBoot).toBe("off");
    expect(await undoBatch(inventory.ina, batchId)).toMatchObject({ ok: false });
    expect((await history(inventory.ina, "computer", (await get("BK-1")).row.id))[0]).toMatchObject({
      action: "undid a change of",
      after: { firmware: { fastBoot: "on" } },
    });
  });

  test.each([
    [{ field: "secureBoot", value: "on" }, { firmware: { secureBoot: { state: "on" } } }],
    [{ field: "setupKey", value: "F2" }, { firmware: { keys: { setup: "F2" } } }],
    [{ field: "form", value: "laptop" }, { computer: { form: "laptop" } }],
  ])("%j, and back", async (set, facts) => {
    const before = (await get("BK-3")).facts;
    const { batchId } = value(await bulkChange(inventory.ina, { ids: [(await get("BK-3")).row.id] }, set));
    expect((await get("BK-3")).facts).toMatchObject(facts);
    value(await undoBatch(inventory.ina, batchId));
    expect((await get("BK-3")).facts).toEqual(before);
  });

  test("retiring many and bringing them back", async () => {
    const ids = [(await get("BK-1")).row.id, (await get("BK-3")).row.id];
    const { batchId } = value(await bulkChange(inventory.ina, { ids }, { field: "retired", value: true }));
    expect(await tags(filter.filter)).toEqual(["BK-2"]);
    value(await undoBatch(inventory.ina, batchId));
    expect(await tags(filter.filter)).toEqual(["BK-1", "BK-2", "BK-3"]);
  });

  test.each([
    [{ ids: [] }, { field: "form", value: "laptop" }],
    [filter, { field: "form", value: "sofa" }],
    [filter, { field: "serial", value: "x" }],
  ])("%j %j is refused", async (selection, set) => {
    expect((await bulkChange(inventory.ina, selection, set)).ok).toBe(false);
  });
});

describe("the list", () => {
  beforeAll(async () => {
    const db = allowing("norlight2011", "norlight2023");
    const uefi = (more: object) => ({ kind: "uefi", arch: "x64", ...more });
    await add(
      "LS-1",
      {
        computer: { make: "Ostrel", model: "Block 3", serial: "Q%_1" },
        firmware: uefi({ legacyMode: "off", secureBoot: { state: "on", db } }),
        systems: [{ name: "Kittiwake", version: "9" }],
      },
      { name: "Café till" },
    );
    await add("LS-2", {
      computer: { make: "Ostrel", model: "Block 1" },
      firmware: uefi({ legacyMode: "on" }),
      memoryBytes: 8,
    });
    await add("LS-3", { computer: { make: "Brenn", model: "Block 3" }, firmware: { kind: "bios" }, memoryBytes: 4 });
    await add("LS-4", {
      firmware: uefi({ arch: "ia32", secureBoot: { state: "on", db, dbx: revoking(1, "norlight2011") } }),
    });
  });
  const among = (filter: Parameters<typeof listComputers>[1]) => tags({ text: "ls-", ...filter });

  test.each([
    [{ firmware: "bios" as const }, ["LS-3"]],
    [{ firmware: "legacy" as const }, ["LS-2"]],
    [{ firmware: "uefi" as const }, ["LS-1", "LS-4"]],
    [{ arch: "ia32" }, ["LS-4"]],
    [{ secureBoot: "on" as const }, ["LS-1", "LS-4"]],
    [{ secureBoot: "unknown" as const }, ["LS-2"]],
    [{ system: "Kittiwake" }, ["LS-1"]],
    [{ make: "Ostrel", model: "Block 3" }, ["LS-1"]],
    [{ missing: "serial" as const }, ["LS-2", "LS-3", "LS-4"]],
    [{ missing: "firmwareKind" as const }, []],
    [{ text: "ls- cafe" }, ["LS-1"]],
    [{ text: "q%_1" }, ["LS-1"]],
    [{ text: "ls- %" }, ["LS-1"]],
    [{ text: "ostrel block ls-2" }, ["LS-2"]],
  ])("%j finds %j", async (filter, wanted) => {
    expect(await among(filter)).toEqual(wanted);
  });

  test("by who may sign: what db allows and dbx does not revoke", async () => {
    const { signers } = await filterChoices(inventory.ina);
    expect(signers.map((signer) => signer.name)).toEqual([
      "Norlight Third Party CA 2011",
      "Norlight Third Party CA 2023",
    ]);
    const [old, recent] = signers as [(typeof signers)[number], (typeof signers)[number]];
    expect(await among({ signer: old.id })).toEqual(["LS-1"]);
    expect(await among({ signer: recent.id })).toEqual(["LS-1", "LS-4"]);
    expect(await among({ signer: -old.id })).toEqual(["LS-4"]);
  });

  test("lists that computers share are stored once, and are read whole, in the history too", async () => {
    const { db } = inventory.ina;
    const [one, other] = [await get("LS-1"), await get("LS-4")];
    expect(one.facts.firmware.secureBoot?.db).toBe(allowing("norlight2011", "norlight2023"));
    expect(other.facts.firmware.secureBoot?.dbx).toBe(revoking(1, "norlight2011"));
    expect(await db.$count(secureBootLists)).toBe(2);
    const [stored] = await db.select().from(computerFacts).where(eq(computerFacts.computerId, one.row.id));
    expect(stored?.facts.firmware.secureBoot?.db).toMatch(/^sha256:[0-9a-f]{64}$/);
    const [event] = await history(inventory.ina, "computer", one.row.id);
    expect(event?.after).toMatchObject({ firmware: { secureBoot: { db: one.facts.firmware.secureBoot?.db } } });
  });

  test("sorted either way, what is not recorded last", async () => {
    expect(await among({ sort: "memory" })).toEqual(["LS-3", "LS-2", "LS-1", "LS-4"]);
    expect(await among({ sort: "memory", descending: true })).toEqual(["LS-2", "LS-3", "LS-1", "LS-4"]);
  });

  test("views are kept under a name, replaced by the next of that name, and taken away", async () => {
    value(await saveView(inventory.ina, { name: "Old signers", query: "?signer=-1" }));
    value(await saveView(inventory.col, { name: "Old signers", query: "?signer=-2&sort=site" }));
    const views = await listViews(inventory.ina);
    expect(views).toMatchObject([{ name: "Old signers", query: "?signer=-2&sort=site" }]);
    expect((await saveView(inventory.ina, { name: "x", query: "javascript:alert(1)" })).ok).toBe(false);
    value(await removeView(inventory.ina, views[0]?.id as number));
    expect(await listViews(inventory.ina)).toEqual([]);
  });
});

describe("key cards and calendars", () => {
  test("a card is for all computers of a make and model, changed under its version, with history", async () => {
    const card = {
      make: "Ostrel",
      model: "Block 3",
      setup: "Delete",
      startMenu: "F11",
      save: "",
      quirks: "Beeps twice before the menu.",
    };
    value(await saveKeyCard(inventory.ina, null, card));
    expect(await saveKeyCard(inventory.ina, null, { ...card, make: "ostrel" })).toMatchObject({
      ok: false,
      problem: { code: "taken" },
    });
    const row = await keyCardOf(inventory.ina, "Ostrel", "Block 3");
    expect(row).toMatchObject({ startMenu: "F11", save: null });
    value(await saveKeyCard(inventory.ina, { id: row?.id as number, version: 1 }, { ...card, startMenu: "F12" }));
    expect(
      await saveKeyCard(inventory.col, { id: row?.id as number, version: 1 }, { ...card, startMenu: "F8" }),
    ).toMatchObject({ ok: false, problem: { code: "stale" } });
    expect(
      (await listModels(inventory.ina)).find((model) => model.model === "Block 3" && model.make === "Ostrel"),
    ).toMatchObject({ computers: 1, card: { startMenu: "F12" } });
  });

  test("systems are told with their end; a calendar is taken in whole or not at all", async () => {
    const text =
      "version,codename,series,created,release,eol\n8,Eight,k8,,2019-01-01,2024-01-01\n9,Nine,k9,,2022-01-01,2027-06-30\n";
    expect(
      await importCalendar(inventory.ina, {
        product: "Kittiwake",
        fileName: "k.csv",
        text: text.replace("2024-01-01", "soon"),
      }),
    ).toMatchObject({
      ok: false,
      problem: { why: { problems: [{ code: "no-date", line: 2, column: "eol", text: "soon" }] }, field: "file" },
    });
    expect(value(await importCalendar(inventory.ina, { product: "Kittiwake", fileName: "k.csv", text }))).toBe(2);
    expect(
      (await listSystems(inventory.ina, "2026-11-25")).find((system) => system.name === "Kittiwake"),
    ).toMatchObject({
      version: "9",
      computers: 1,
      calendar: "Kittiwake",
      support: { support: { state: "supported", end: { date: "2027-06-30" } } },
    });
    expect((await listSystems(inventory.ina, "2028-01-01"))[0]).toMatchObject({
      name: "Kittiwake",
      support: { support: { state: "ended" } },
    });
  });
});

test("what was derived by an older version is derived anew", async () => {
  const { refreshDerived } = await import("../inventory/derived");
  const { db } = inventory.ina;
  await db
    .update(computers)
    .set({ derived: 0, search: "", missing: 0, secureBoot: null })
    .where(eq(computers.tag, "LS-1"));
  expect(await tags({ text: "q%_1" })).toEqual([]);
  expect(await refreshDerived(db)).toBe(1);
  expect(await tags({ text: "q%_1" })).toEqual(["LS-1"]);
  expect((await get("LS-1")).row.secureBoot).toBe("on");
});
