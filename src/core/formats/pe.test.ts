import { readFileSync } from "node:fs";
import { MemorySource } from "@/core/kernel/source";
import { run } from "../../../scripts/media/workshop";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { readPe, readSbat, SUBSYSTEM_EFI_APPLICATION } from "./pe";

const w = tempWorkshop();

// Reference: GRUB's own image maker, and Debian's signed first stage, as binutils' objdump reads them.
test.each([
  ["x64", "pei-x86-64"],
  ["ia32", "pei-i386"],
] as const)("a loader for %s", async (arch, format) => {
  const image = await readPe(memory(w.efi(arch)));
  expect(image).toMatchObject({ recognised: true, machine: arch, subsystem: SUBSYSTEM_EFI_APPLICATION, faults: [] });
  const listed = run("objdump", ["-h", w.efi(arch)]);
  expect(listed).toContain(format);
  for (const section of image.sections) expect(listed).toContain(section.name);
  expect(image.sections.length).toBeGreaterThan(2);
});

test("cut anywhere it is called cut, and never thrown at", async () => {
  const whole = new Uint8Array(readFileSync(w.efi("x64")));
  expect((await readPe(new MemorySource(whole))).faults).toEqual([]);
  for (const length of [0, 1, 63, 64, 100, 200, 300, 400, 512, 1000, 4096, 60_000, whole.length - 1]) {
    const image = await readPe(new MemorySource(whole.subarray(0, length)));
    expect({ length, sound: image.faults.length === 0 }).toEqual({ length, sound: false });
  }
});

test("any single byte of the headers changed gives an answer", async () => {
  const whole = new Uint8Array(readFileSync(w.efi("ia32")));
  for (let at = 0; at < 1024; at++) {
    const changed = whole.slice();
    changed[at] = (changed[at] as number) ^ 0xff;
    const image = await readPe(new MemorySource(changed));
    expect(Array.isArray(image.faults)).toBe(true);
    expect(image.sections.length).toBeLessThanOrEqual(96);
  }
});

test("a first-stage loader names itself and its generation in .sbat", async () => {
  const shim = memory("/usr/lib/shim/shimx64.efi.signed");
  const image = await readPe(shim);
  expect(image).toMatchObject({ machine: "x64", faults: [] });
  const rows = await readSbat(shim, image);
  // Reference: the section's text as objcopy takes it out.
  run("objcopy", ["-O", "binary", "--only-section=.sbat", "/usr/lib/shim/shimx64.efi.signed", w.path("sbat.csv")]);
  const listed = readFileSync(w.path("sbat.csv"), "latin1")
    .replace(/\0+$/, "")
    .trim()
    .split("\n")
    .map((line) => line.split(","));
  expect(rows).toEqual(listed.map(([component, generation]) => ({ component, generation: Number(generation) })));
  expect(rows?.some((row) => row.component === "shim")).toBe(true);
});
