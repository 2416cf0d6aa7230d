import { traceText } from "@/core/words/trace";
import { tempWorkshop } from "../support/workshop";
import { agrees, compare, judgeFile } from "./agree";
import { cellName, machineOf } from "./blocks";
import { CASES } from "./cases";
import { firmwareIsInstalled } from "./machine";
import { cellDigest, imageDigest, readObservations } from "./observations";

/**
 * Real firmware is the judge: media made by reference tools are started on SeaBIOS 1.16 and EDK2 2022.11 under QEMU,
 * and Creel's verdict must say what happened. What such a computer did with the very same bytes is kept by their
 * digest (`npm run referee -- --record`), and then no computer is started. Where medium, firmware or lists are
 * others, the short series starts, and the rest is held to what was observed by its name. `npm run referee` starts
 * them all.
 */
const w = tempWorkshop();
const observed = readObservations();
const cells = CASES.flatMap(({ name, on }) => on.map((cell) => cellName(name, cell)));

test("the firmware is installed, there is an observation for every cell, and none for a cell that is gone", () => {
  expect(firmwareIsInstalled()).toBe(true);
  expect(cells.length).toBeGreaterThan(250);
  expect(Object.keys(observed).sort()).toEqual([...cells].sort());
});

let sameBytes = 0;

test.each(CASES)("$name", async ({ name, make, on, fast }) => {
  const image = make(w);
  const bytes = imageDigest(image);
  for (const cell of on) {
    const machine = machineOf(w, cell);
    const known = observed[cellName(name, cell)];
    const isSame = known?.digest === cellDigest(bytes, machine);
    if (isSame) sameBytes++;
    const run = fast && !isSame ? await compare(image, machine, w.folder) : null;
    const link = run?.link ?? (await judgeFile(image, machine));
    const started = run?.started ?? known?.started ?? false;
    const trace = link.trace.map(traceText).join("; ");
    const evidence = agrees(link, started)
      ? []
      : [cellName(name, cell), started, link.verdict, trace, run?.log.slice(-600)];
    expect(evidence).toEqual([]);
  }
});

afterAll(() => {
  if (sameBytes < cells.length * 0.9)
    console.log(`${cells.length - sameBytes} of ${cells.length} cells are other bytes than were recorded here.`);
});
