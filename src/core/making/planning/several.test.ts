import { biosStart } from "@/server/host/bios-start";
import { MARKER } from "../../../../scripts/media/workshop";
import { observe } from "../../../../test/referee/observations";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { writeLayout } from "../../../../test/support/written";
import { type MediumPlan, type PlanInput, planMedium } from "./plan";

// References: OVMF and SeaBIOS under QEMU on which release comes up; fsck.fat and sgdisk on layouts (making/layout/layouts.test.ts).
const w = tempWorkshop();
const BIOS = { firmware: "bios", as: "usb", lists: null } as const;

type Kind = "x64" | "ia32" | "bios";

/** A disc file with a release that says its name to the serial line where a BIOS starts it. */
function release(name: string, ...kinds: Kind[]): string {
  const menu = `serial --unit=0 --speed=115200\nterminal_output serial\necho ${name}-${MARKER}\nhalt\n`;
  const loaders = kinds.flatMap((kind) =>
    kind === "bios" ? [] : [[`EFI/BOOT/BOOT${kind.toUpperCase()}.EFI`, w.efi(kind)] as const],
  );
  const files: Record<string, string> = {
    ...Object.fromEntries(loaders),
    "README.TXT": w.text(`${name}.txt`, name),
    ...(kinds.includes("bios") ? { "boot/grub/grub.cfg": w.text(`${name}.cfg`, menu) } : {}),
  };
  return w.iso(`${name}.iso`, files, ["-V", name]);
}

async function together(images: string[], more: Partial<PlanInput> = {}): Promise<MediumPlan> {
  const [own = "", ...others] = images;
  const title = (image: string) => image.split("/").at(-1)?.replace(".iso", "") ?? "";
  return planMedium({
    request: { way: "laid-out", table: "gpt", store: false, tag: "RM-77" },
    image: memory(own),
    name: "own.iso",
    title: title(own),
    beside: others.map((image) => ({ title: title(image), image: memory(image) })),
    device: { kind: "usb", bytes: 300e6, sectorBytes: 512 },
    bios: await biosStart(),
    pack: [],
    madeAt: "2026-11-25T12:00:00Z",
    ...more,
  });
}

function works(plan: MediumPlan): Extract<MediumPlan, { ok: true }> {
  if (!plan.ok) throw new Error(JSON.stringify(plan.problems));
  return plan;
}

const startedBy = (plan: MediumPlan) => works(plan).loads.map((load) => load.startedBy);

test("each firmware comes to the first release that has a loader for it", async () => {
  const plan = await together([release("ONE", "x64"), release("TWO", "x64", "ia32", "bios")]);
  expect(startedBy(plan)).toEqual([["x64"], ["ia32", "bios"]]);
  expect(works(plan).notes).toContainEqual({ code: "started-by", release: "TWO", by: ["ia32", "bios"] });
  expect(works(plan).parts.map(({ role }) => role)).toEqual(["bios-start", "start", "load"]);
  const image = w.path("several.img");
  await writeLayout(works(plan).layout, image);
  for (const firmware of ["uefi-x64", "uefi-ia32"] as const) {
    const machine = { firmware, as: "usb", lists: null } as const;
    const { started, log } = await observe(`two releases ${firmware}`, image, machine, w.folder);
    expect([firmware, started || log]).toEqual([firmware, true]);
  }
  // Only the second has something for a BIOS, so it is gone on with.
  const { said } = await observe("two releases bios", image, BIOS, w.folder);
  expect(said).toEqual(["TWO"]);
});

test("on a BIOS computer a menu lets one of them be chosen", async () => {
  const plan = await together([release("THREE", "x64", "bios"), release("FOUR", "bios")], {
    request: { way: "laid-out", table: "mbr", store: true, tag: "RM-78" },
  });
  expect(startedBy(plan)).toEqual([["x64", "bios"], ["bios"]]);
  expect(works(plan).notes).toContainEqual({ code: "bios-chooses", releases: ["THREE", "FOUR"] });
  expect(works(plan).parts.map(({ role }) => role)).toEqual(["bios-start", "start", "load", "store"]);
  const image = w.path("choice.img");
  await writeLayout(works(plan).layout, image);
  // Nobody chooses: the first is taken after a while.
  const { said } = await observe("a menu of two releases bios", image, BIOS, w.folder);
  expect(said).toEqual(["THREE"]);
});

test("what no computer would come to is not made", async () => {
  const plan = await together([release("FIVE", "x64"), release("SIX", "x64")]);
  expect(plan).toMatchObject({ ok: false, problems: [{ code: "nothing-starts-it", release: "SIX" }] });
});

test("several stand on a medium only where it is laid out, and only so many", async () => {
  const [a, b] = [release("SEVEN", "x64"), release("EIGHT", "ia32")];
  const asItIs = { way: "as-it-is", table: "gpt", store: false, tag: "RM-79" } as const;
  expect(await together([a, b], { request: asItIs })).toMatchObject({ problems: [{ code: "not-for-several" }] });
  expect(await together([a, b, b, b])).toMatchObject({ problems: [{ code: "too-many-releases", most: 3 }] });
  const small = { kind: "usb", bytes: 60e6, sectorBytes: 512 } as const;
  expect(await together([a, b], { device: small })).toMatchObject({ problems: [{ code: "device-too-small" }] });
});
