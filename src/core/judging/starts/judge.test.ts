import { type StartFacts, startFactsOf, startProfile } from "@/core/computer/facts/profile";
import { type Facts, factsSchema } from "@/core/computer/facts/schema";
import { inspect } from "@/core/medium/inspection/inspect";
import type { Attachment, Views } from "@/core/medium/inspection/schema";
import { IMAGES } from "../../../../scripts/demo/images";
import { viewsWith } from "../../../../test/support/fleet";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { judgeStart } from "./judge";

const w = tempWorkshop();
const made = new Map<string, Promise<Views>>();
function views(image: keyof typeof IMAGES): Promise<Views> {
  const known =
    made.get(image) ??
    inspect(memory(IMAGES[image].make(w)), { name: image }).then(({ inspection }) => inspection.views);
  made.set(image, known);
  return known;
}
const facts = (firmware: object, ports: object | null = null): Facts =>
  factsSchema.parse({ schema: "creel.facts/1", firmware, ports });
const uefi = (more: object = {}) =>
  facts({ kind: "uefi", arch: "x64", legacyMode: "absent", secureBoot: { state: "off" }, ...more });

async function judge(image: keyof typeof IMAGES, of: StartFacts, as: Attachment = "usb") {
  const link = judgeStart(await views(image), of, as);
  return {
    verdict: link.verdict,
    codes: link.reasons.map((reason) => reason.code),
    changes: link.changes.map(({ setting, to }) => `${setting} ${to}`),
    link,
  };
}

test("a missing path is broken, whatever Secure Boot says, and the reason names the architectures that are there", async () => {
  for (const state of ["on", "off", "setup", "absent"]) {
    const { verdict, link } = await judge("lantern12", uefi({ arch: "ia32", secureBoot: { state } }));
    expect(verdict).toBe("broken");
    expect(link.reasons[0]).toMatchObject({ code: "no-loader", arch: "ia32", others: ["x64"] });
  }
});

// UEFI 2.10, 32.3: images are authenticated only while Secure Boot is on and not in setup mode.
test.each([
  ["off", "holds"],
  ["absent", "holds"],
  ["setup", "holds"],
  ["on", "unknown"],
] as const)("with Secure Boot %s a sound path %s", async (state, verdict) => {
  expect((await judge("lantern12", uefi({ secureBoot: { state } }))).verdict).toBe(verdict);
});

test.each([
  ["firmware.kind", facts({})],
  ["firmware.arch", facts({ kind: "uefi", secureBoot: { state: "off" } })],
  ["firmware.secureBoot.state", facts({ kind: "uefi", arch: "x64" })],
])("a deciding fact that is missing is named: %s", async (fact, of) => {
  const { verdict, link } = await judge("bollard5", of);
  expect(verdict).toBe("unknown");
  expect(link.reasons).toContainEqual(expect.objectContaining({ code: "fact-missing", fact }));
});

test("without any fact a medium that nothing starts is broken all the same", async () => {
  expect((await judge("papers", facts({}))).verdict).toBe("broken");
});

test("legacy mode is judged as BIOS; switched off it may hold, and the change says so", async () => {
  const legacy = uefi({ legacyMode: "on" });
  expect(await judge("spindle3", legacy)).toMatchObject({
    verdict: "holds",
    codes: expect.arrayContaining(["legacy-mode-on", "bios-starts"]),
  });
  expect(await judge("lantern12", legacy)).toMatchObject({
    verdict: "holds-after-change",
    changes: ["legacyMode off"],
  });
});

test("legacy mode is offered only where the firmware has it", async () => {
  expect(await judge("bollard4", uefi({ legacyMode: "off" }))).toMatchObject({
    verdict: "holds-after-change",
    changes: ["legacyMode on"],
  });
  expect(await judge("bollard4", uefi({ legacyMode: "absent" }))).toMatchObject({ verdict: "broken" });
});

test("settings and ports in the way become changes", async () => {
  expect(await judge("bollard5", uefi({ usbStart: "off", fastBoot: "on" }))).toMatchObject({
    verdict: "holds-after-change",
    changes: ["usbStart on", "fastBoot off"],
  });
  const noDrive = factsSchema.parse({ ...uefi(), ports: { usb: 2, optical: false } });
  expect(await judge("bollard5", noDrive, "optical")).toMatchObject({
    verdict: "holds-after-change",
    changes: ["opticalDrive external"],
  });
  expect(await judge("bollard5", factsSchema.parse({ ...uefi(), ports: { usb: 0 } }))).toMatchObject({
    verdict: "holds-after-change",
    changes: ["usbPort by a dock or a card"],
  });
});

test("a disc image that is not hybrid is broken as a stick under BIOS, and says that a disc would do", async () => {
  expect(await judge("spindleDisc", facts({ kind: "bios" }))).toMatchObject({
    verdict: "broken",
    changes: ["attachAs optical"],
  });
  expect(await judge("spindleDisc", facts({ kind: "bios" }), "optical")).toMatchObject({ verdict: "holds" });
});

test("basis: the specification where it decides, the reference firmware where it is more lenient", async () => {
  expect((await judge("lantern12", uefi())).link.basis).toBe("standard");
  expect((await judge("lantern12Worn", uefi())).link.basis).toBe("reference");
});

test("a profile keeps all that the verdict depends on", async () => {
  const variants = [
    uefi(),
    uefi({ legacyMode: "on" }),
    uefi({ arch: "ia32", usbStart: "off" }),
    facts({ kind: "bios" }),
    facts({}),
    factsSchema.parse({ ...uefi(), ports: { usb: 0, optical: false } }),
    uefi({ secureBoot: { state: "on", db: "", dbx: "", sbatLevel: "" } }),
    uefi({ startOrder: ["Hard disk", "USB"] }),
  ];
  for (const image of ["bollard5", "lantern12", "papers"] as const) {
    const read = await views(image);
    for (const of of variants)
      for (const as of ["usb", "optical"] as const)
        expect(judgeStart(read, startFactsOf(of), as)).toEqual(judgeStart(read, of, as));
  }
  expect(new Set(variants.map(startProfile)).size).toBe(variants.length);
  for (const of of variants) expect(startProfile(startFactsOf(of))).toBe(startProfile(of));
});

test("the start order: while the internal disk comes first, the medium is chosen by hand", async () => {
  const ordered = (startOrder: string[], entries: object[] = []) => uefi({ startOrder, entries });
  const entries = [
    { id: "0000", name: "Gannet Desk", path: "HD(1,GPT)" },
    { id: "0001", name: "UEFI: USB Device" },
    { id: "0002", name: "UEFI: USB Hard Drive", active: false },
  ];
  expect(await judge("bollard5", ordered(["0000", "0001"], entries))).toMatchObject({
    verdict: "holds-after-change",
    changes: ["startOrder USB first"],
    codes: expect.arrayContaining(["internal-disk-first"]),
  });
  for (const fine of [ordered(["0001", "0000"], entries), ordered(["Removable devices", "Hard disk"]), ordered([])])
    expect((await judge("bollard5", fine)).verdict).toBe("holds");
  expect((await judge("bollard5", ordered(["0002", "0000"], entries))).verdict).toBe("holds-after-change");
  expect((await judge("bollard5", ordered(["DVD drive", "Hard disk"]), "optical")).verdict).toBe("holds");
  expect((await judge("bollard5", ordered(["DVD drive", "Hard disk"]))).verdict).toBe("holds-after-change");
});

test("firmware that offers both modes starts what either starts, by the entry of that mode", () => {
  const both = (secureBoot: object = { state: "off" }) =>
    factsSchema.parse({
      schema: "creel.facts/1",
      firmware: { kind: "uefi", arch: "x64", legacyMode: "both", secureBoot },
      ports: { usb: 2 },
    });
  expect(judgeStart(viewsWith(["x64"], true), both(), "usb")).toMatchObject({ verdict: "holds", changes: [] });
  const byLegacy = judgeStart(viewsWith([], true), both(), "usb");
  expect(byLegacy).toMatchObject({
    verdict: "holds-after-change",
    changes: [{ setting: "startOrder", from: "UEFI entry", to: "legacy entry" }],
  });
  expect(judgeStart(viewsWith([], false), both(), "usb").verdict).toBe("broken");
});
