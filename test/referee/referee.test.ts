import { tempWorkshop } from "../support/workshop";
import { compare } from "./agree";
import { cellName, machineOf } from "./blocks";
import { CASES } from "./cases";
import { firmwareIsInstalled } from "./machine";

/**
 * Real firmware is the judge: media made by reference tools are started on SeaBIOS and OVMF under QEMU, and
 * Creel's verdict must say what happened. The whole table runs with `npm run referee`.
 */
const w = tempWorkshop();
// All media are made before the first computer is switched on: building blocks are shared between cases.
const cells = CASES.filter((each) => each.fast).flatMap(({ name, make, on }) => {
  const image = make(w);
  return on.map((cell) => ({ name: cellName(name, cell), image, machine: machineOf(w, cell) }));
});

test("the firmware is installed and there is something to judge", () => {
  expect(firmwareIsInstalled()).toBe(true);
  expect(cells.length).toBeGreaterThan(12);
});

test.concurrent.each(cells)("$name", async ({ image, machine }) => {
  const { link, log, started, agrees } = await compare(image, machine, w.folder);
  // The evidence shows where the two do not agree.
  const evidence = agrees ? [] : [link.verdict, link.trace.join("; "), started, log.slice(-600)];
  expect(evidence).toEqual([]);
});
