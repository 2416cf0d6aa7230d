import { memory, tempWorkshop } from "../../../../../test/support/workshop";
import { chooseLoader, loadProblem } from "./choose";
import { enumerateUefi } from "./enumerate";
import type { Loader, StartFile, UefiView, UefiVolume } from "./view";

const w = tempWorkshop();
const esp = w.fat("esp.img", 8, 12, { "EFI/BOOT/BOOTX64.EFI": w.efi("x64") }, ["-s", "8"]);

describe("where the firmware looks", () => {
  test("volumes come in table order, each with its place and what stricter makers may mind", async () => {
    const image = w.gpt("two.img", 24, ["-n", "2:2048:+8M", "-t", "2:0700", "-n", "1:20480:+8M", "-t", "1:ef00"], {
      1: esp,
      2: esp,
    });
    const { volumes, notes } = await enumerateUefi(memory(image), 512);
    expect(volumes.map(({ place, filesystem, leniencies }) => ({ place, filesystem, leniencies }))).toEqual([
      { place: [{ kind: "gpt", number: 1 }], filesystem: "fat12", leniencies: [] },
      { place: [{ kind: "gpt", number: 2 }], filesystem: "fat12", leniencies: ["partition-type"] },
    ]);
    expect(notes).toEqual([{ code: "gpt-used", place: [], from: "primary" }]);
  });

  test("an MBR of an EFI system partition and a logical one", async () => {
    const image = w.mbr("logical.img", 32, "2048,16384,ef\n20480,40960,5\n22528,16384,c", {
      [2048 * 512]: esp,
      [22528 * 512]: esp,
    });
    const { volumes } = await enumerateUefi(memory(image), 512);
    expect(
      volumes.map(({ place, leniencies }) => [
        place.map((step) => `${step.kind} ${step.number}`).join("/"),
        leniencies,
      ]),
    ).toEqual([
      ["mbr 1", []],
      ["mbr 2/logical 5", ["partition-type", "logical-partition"]],
    ]);
  });

  test("a disc's entries, on the disc and on a stick", async () => {
    const image = w.iso("disc.iso", { "boot/esp.img": esp }, ["-e", "boot/esp.img", "-no-emul-boot"]);
    const places = async (blockBytes: number) =>
      (await enumerateUefi(memory(image), blockBytes)).volumes.map(({ place, leniencies }) => [place, leniencies]);
    expect(await places(2048)).toEqual([[[{ kind: "el-torito", number: 0 }], []]]);
    expect(await places(512)).toEqual([[[{ kind: "el-torito", number: 0 }], ["el-torito-on-stick"]]]);
  });

  test("a partitioned stick image is nothing as a disc, an unpartitioned volume is the same on both", async () => {
    const image = w.gpt("stick.img", 12, ["-n", "1:2048:+8M", "-t", "1:ef00"], { 1: esp });
    expect((await enumerateUefi(memory(image), 2048)).volumes).toEqual([]);
    expect((await enumerateUefi(memory(esp), 2048)).volumes).toHaveLength(1);
    expect((await enumerateUefi(memory(esp), 512)).volumes[0]?.place).toEqual([]);
  });
});

describe("which file it takes", () => {
  const loader = (more: Partial<Loader> = {}): Loader => ({
    file: "/EFI/BOOT/BOOTX64.EFI",
    bytes: 1000,
    readable: true,
    pe: true,
    machine: "x64",
    machineNumber: 0x8664,
    subsystem: 10,
    faults: [],
    sbat: null,
    kind: null,
    lacksKernel: false,
    signing: null,
    firstStage: null,
    ...more,
  });
  const volume = (number: number, start: StartFile): UefiVolume => ({
    place: [{ kind: "gpt", number }],
    start: 0,
    length: 0,
    filesystem: "fat16",
    label: null,
    leniencies: [],
    files: { x64: start },
  });
  const view = (...starts: StartFile[]): UefiView => ({
    notes: [],
    volumes: starts.map((start, index) => volume(index + 1, start)),
  });
  const good: StartFile = { loader: loader(), next: null };

  // Observed on EDK2: these count as absent, and the next volume is tried.
  test.each([
    ["empty", { bytes: 0 }],
    ["unreadable", { readable: false }],
    ["not-pe", { pe: false }],
    ["not-application", { subsystem: 11 }],
  ] as const)("a file that is %s is passed over", (why, more) => {
    const { chosen, skipped } = chooseLoader(view({ loader: loader(more), next: null }, good), "x64");
    expect(skipped.map((each) => each.why)).toEqual([why]);
    expect(chosen?.volume.place[0]?.number).toBe(2);
  });

  // Observed on EDK2: these are taken and fail, and nothing behind them is tried.
  test.each([
    ["loader-machine", { machine: "ia32" as const }],
    ["loader-damaged", { faults: ["section-outside-file" as const] }],
  ])("a file with %s is taken, and fails", (code, more) => {
    const { chosen } = chooseLoader(view({ loader: loader(more), next: null }, good), "x64");
    expect(chosen?.volume.place[0]?.number).toBe(1);
    expect(loadProblem(chosen?.start as StartFile, "x64")).toMatchObject({ code });
  });

  test.each([
    ["second-stage-missing", { expected: "/EFI/BOOT/grubx64.efi", role: "second-stage" as const, loader: null }],
    [
      "second-stage-machine",
      { expected: "/EFI/BOOT/grubx64.efi", role: "second-stage" as const, loader: loader({ machine: "aa64" }) },
    ],
    [
      "second-stage-damaged",
      { expected: "/EFI/BOOT/grubx64.efi", role: "second-stage" as const, loader: loader({ readable: false }) },
    ],
    ["fallback-first", { expected: "/EFI/BOOT/fbx64.efi", role: "fallback" as const, loader: loader() }],
  ])("a first stage with %s", (code, next) => {
    expect(loadProblem({ loader: loader(), next }, "x64")).toMatchObject({ code });
  });

  test("no file for this architecture is no choice", () => {
    expect(chooseLoader(view(good), "ia32")).toEqual({ skipped: [], chosen: null });
    expect(loadProblem(good, "x64")).toBeNull();
  });
});
