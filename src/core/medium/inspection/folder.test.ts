import { IMAGES } from "../../../../scripts/demo/images";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { factsSchema } from "../../computer/facts/schema";
import { walk } from "../../formats/file-tree";
import { type ListedFile, ListedTree } from "../../formats/listed-tree";
import { judgeStart } from "../../judging/starts/judge";
import { CachedSource, MemorySource } from "../../kernel/source";
import { makeManifest } from "../integrity/manifest";
import { verifyVolumes } from "../integrity/verify";
import { volumesOf } from "../volumes/volumes";
import { folderVolume, inspectFolder } from "./folder";
import { inspect } from "./inspect";

const w = tempWorkshop();

/** The files of the first volume of a medium, as a browser hands over those of its drive. */
async function filesOf(image: string): Promise<ListedFile[]> {
  const [volume] = await volumesOf(new CachedSource(memory(image)));
  const files: ListedFile[] = [];
  if (!volume) return files;
  for await (const { path, entry } of walk(volume.tree)) {
    const content = entry.directory || entry.link !== undefined ? null : await volume.tree.open(entry);
    if (!content) continue;
    const bytes = await content.read(0, content.sizeBytes);
    files.push({ path, sizeBytes: bytes.length, modified: entry.modified, open: () => new MemorySource(bytes) });
  }
  return files;
}

const sizeOf = (files: readonly ListedFile[]) => files.reduce((sum, each) => sum + each.sizeBytes, 0);
const read = async (files: readonly ListedFile[]) =>
  inspectFolder(new ListedTree(files), { name: "KIT", bytes: sizeOf(files), depth: "deep" });
const computer = (firmware: object) =>
  factsSchema.parse({
    schema: "creel.facts/1",
    firmware: { kind: "uefi", arch: "x64", legacyMode: "absent", ...firmware },
  });

// Reference: what the whole medium says of itself when it is read to the bottom.
test.each(["lantern12", "bollard5", "spindle3"] as const)(
  "the folder of %s tells what its image tells",
  async (name) => {
    const image = IMAGES[name].make(w);
    const whole = await inspect(memory(image), { name: "image", depth: "deep" });
    const folder = await read(await filesOf(image));
    const [own, theirs] = [folder.inspection, whole.inspection];
    expect(own.container).toBe("folder");
    expect(own.contents.systems).toEqual(theirs.contents.systems);
    expect(own.contents.environments.length).toBe(theirs.contents.environments.length);
    const digests = (programs: typeof own.programs) => new Set(programs.map(({ authenticode }) => authenticode));
    for (const digest of digests(own.programs)) expect(digests(theirs.programs)).toContain(digest);
    // The programs of that disc lie in the start image of its catalogue, which a drive does not show.
    if (name !== "bollard5") expect(own.programs.length).toBeGreaterThan(0);
    if (name !== "bollard5")
      expect(folder.drivers.map(({ path }) => path)).toEqual(whole.drivers.map(({ path }) => path));
    expect(own.findings.map(({ code }) => code)).toContain("read-as-folder");
  },
);

test("a start that hangs on what a folder does not show stays unknown; one that the loader alone decides does not", async () => {
  const { inspection } = await read(await filesOf(IMAGES.lantern12.make(w)));
  const start = (firmware: object) => judgeStart(inspection.views, computer(firmware), "usb");
  const open = start({ secureBoot: { state: "off" } });
  expect([open.verdict, open.reasons[0]?.code]).toEqual(["unknown", "read-as-folder"]);
  expect(start({ secureBoot: { state: "off" }, arch: "aa64" }).verdict).toBe("unknown");
  const bios = judgeStart(inspection.views, computer({ kind: "bios" }), "usb");
  expect([bios.verdict, bios.reasons[0]?.code]).toEqual(["unknown", "bios-not-known"]);
  // A loader that is no program of that machine's fails wherever it lies.
  const broken = [
    { path: "EFI/BOOT/BOOTX64.EFI", sizeBytes: 4, modified: null, open: () => new MemorySource(new Uint8Array(4)) },
  ];
  const damaged = await read(broken);
  expect(judgeStart(damaged.inspection.views, computer({ secureBoot: { state: "off" } }), "usb").verdict).not.toBe(
    "holds",
  );
});

test("a folder is held against the manifest of its release: each file, and nothing else", async () => {
  const image = IMAGES.spindle3.make(w);
  const manifest = await makeManifest(memory(image), { name: "spindle.img" });
  const [first] = manifest.volumes;
  const only = { ...manifest, volumes: first ? [first] : [] };
  const files = await filesOf(image);
  const held = (all: ListedFile[]) => verifyVolumes([folderVolume(new ListedTree(all), sizeOf(all))], only);
  const more = {
    path: "/notes/mine.txt",
    sizeBytes: 2,
    modified: null,
    open: () => new MemorySource(new Uint8Array(2)),
  };
  expect((await held([...files, more])).result).toBe("same-files");
  const victim = files.find(({ path }) => path.endsWith(".EFI")) as ListedFile;
  const bytes = await victim.open().read(0, victim.sizeBytes);
  bytes[100] = (bytes[100] ?? 0) ^ 1;
  const changed = files.map((each) => (each === victim ? { ...each, open: () => new MemorySource(bytes) } : each));
  expect(await held(changed)).toMatchObject({
    result: "differs",
    files: { differing: [{ path: victim.path, why: "content" }] },
  });
  expect((await held(files.filter((each) => each !== victim))).files.differing).toMatchObject([{ why: "missing" }]);
});

test("paths that nobody meant lead nowhere, and many files are one tree", async () => {
  const file = (path: string) => ({
    path,
    sizeBytes: 1,
    modified: null,
    open: () => new MemorySource(new Uint8Array(1)),
  });
  const odd = ["", "/", "a/../b", "./c", "x".repeat(300), `${"d/".repeat(400)}e`, "a", "a/inside", "nul\0name"];
  const tree = new ListedTree([
    ...odd.map(file),
    ...Array.from({ length: 20_000 }, (_, nth) => file(`many/${nth % 100}/${nth}`)),
  ]);
  const paths: string[] = [];
  for await (const { path } of walk(tree)) paths.push(path);
  expect(paths).toContain("/a/inside");
  expect(paths).toContain("/a/b");
  expect(paths.filter((path) => path.startsWith("/many/"))).toHaveLength(20_100);
  expect(paths.every((path) => path.split("/").length < 140)).toBe(true);
});
