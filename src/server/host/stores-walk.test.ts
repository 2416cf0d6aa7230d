import { mkdirSync, readdirSync, symlinkSync, writeFileSync } from "node:fs";
import { tempWorkshop } from "../../../test/support/workshop";
import { measuredWriteRate, ROOM_FILE, roomIn, storeFiles } from "./stores-walk";

const w = tempWorkshop();

test("files below a folder are found with size and time; links are not followed, and what stands for its room is no file", async () => {
  mkdirSync(w.path("s/a/b"), { recursive: true });
  writeFileSync(w.path("s/one.img"), "12345");
  writeFileSync(w.path("s/a/b/two.img"), "1");
  writeFileSync(w.path(`s/${ROOM_FILE}`), "{}");
  symlinkSync(w.path("s"), w.path("s/a/loop"));
  symlinkSync("/etc/hostname", w.path("s/a/link.img"));
  const { files, isCut } = await storeFiles(w.path("s"));
  expect(files.map(({ path, bytes }) => [path, bytes]).sort()).toEqual([
    ["a/b/two.img", 1],
    ["one.img", 5],
  ]);
  expect(isCut).toBe(false);
  expect(Date.parse(files[0]?.modified ?? "")).not.toBeNaN();
});

test("what lies too deep is said to be left out", async () => {
  const deep = w.path(`deep/${Array.from({ length: 30 }, (_, at) => `d${at}`).join("/")}`);
  mkdirSync(deep, { recursive: true });
  writeFileSync(`${deep}/x.img`, "1");
  expect(await storeFiles(w.path("deep"))).toEqual({ files: [], isCut: true });
});

test("a folder that is not there is not an empty one", async () => {
  await expect(storeFiles(w.path("nowhere"))).rejects.toMatchObject({ code: "ENOENT" });
});

test("room is told by what stands for it, by a file system of its own, or not at all", async () => {
  mkdirSync(w.path("room"));
  expect(await roomIn(w.path("room"))).toBeNull();
  writeFileSync(w.path(`room/${ROOM_FILE}`), JSON.stringify({ capacityBytes: 1000, usedBytes: 10 }));
  expect(await roomIn(w.path("room"))).toEqual({ capacityBytes: 1000, usedBytes: 10 });
  writeFileSync(w.path(`room/${ROOM_FILE}`), JSON.stringify({ capacityBytes: "much" }));
  expect(await roomIn(w.path("room"))).toBeNull();
  // Linux mounts /proc as a file system of its own.
  expect(await roomIn("/proc")).not.toBeNull();
});

test("writing is measured by a file of its own, of which nothing stays, nor of one that a stop left", async () => {
  mkdirSync(w.path("rate"));
  writeFileSync(w.path("rate/.creel-measure-old"), "left");
  expect((await storeFiles(w.path("rate"))).files).toEqual([]);
  expect(await measuredWriteRate(w.path("rate"), 8 << 20)).toBeGreaterThan(0);
  expect(readdirSync(w.path("rate"))).toEqual([]);
  expect(await measuredWriteRate(w.path("rate"), 2 ** 50)).toBeNull();
});
