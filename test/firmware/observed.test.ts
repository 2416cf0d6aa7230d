import { readFileSync } from "node:fs";
import { join } from "node:path";
import { tempWorkshop } from "../support/workshop";
import { judgeFile } from "./agree";
import { CASES } from "./cases";

/**
 * Every medium of the table against what SeaBIOS 1.16 and EDK2 2022.11 did with it under QEMU, as recorded by
 * `npm run firmware -- --record`: Creel's verdict must say the same.
 */
const w = tempWorkshop();
const observed = JSON.parse(readFileSync(join(__dirname, "observed.json"), "utf8")) as Record<string, boolean>;

test("there is an observation for every cell, and none for a cell that is gone", () => {
  const cells = CASES.flatMap(({ name, on }) => on.map(([firmware, as]) => `${name} ${firmware} ${as}`));
  expect(cells.length).toBeGreaterThan(130);
  expect(Object.keys(observed).sort()).toEqual(cells.sort());
});

test.each(CASES)("$name", async ({ name, make, on }) => {
  const image = make(w);
  for (const [firmware, as] of on) {
    const { verdict, trace } = await judgeFile(image, firmware, as);
    expect({ firmware, as, verdict, trace }).toEqual({
      firmware,
      as,
      verdict: observed[`${name} ${firmware} ${as}`] ? "holds" : "broken",
      trace,
    });
  }
});
