import { readFileSync } from "node:fs";
import { join } from "node:path";
import { tempWorkshop } from "../support/workshop";
import { agrees, judgeFile } from "./agree";
import { cellName, machineOf } from "./blocks";
import { CASES } from "./cases";

/**
 * Every medium of the table against what SeaBIOS 1.16 and EDK2 2022.11 did with it under QEMU, as recorded by
 * `npm run referee -- --record`: Creel's verdict must say the same.
 */
const w = tempWorkshop();
const observed = JSON.parse(readFileSync(join(__dirname, "observed.json"), "utf8")) as Record<string, boolean>;

test("there is an observation for every cell, and none for a cell that is gone", () => {
  const cells = CASES.flatMap(({ name, on }) => on.map((cell) => cellName(name, cell)));
  expect(cells.length).toBeGreaterThan(200);
  expect(Object.keys(observed).sort()).toEqual(cells.sort());
});

test.each(CASES)("$name", async ({ name, make, on }) => {
  const image = make(w);
  for (const cell of on) {
    const link = await judgeFile(image, machineOf(w, cell));
    const started = observed[cellName(name, cell)] ?? false;
    const evidence = agrees(link, started) ? [] : [cellName(name, cell), started, link.verdict, link.trace.join("; ")];
    expect(evidence).toEqual([]);
  }
});
