import { tempWorkshop } from "../support/workshop";
import { judgeFile } from "./agree";
import { CASES } from "./cases";
import { firmwareIsInstalled, powerOn } from "./machine";

/**
 * Real firmware is the judge: media made by reference tools are started on SeaBIOS and OVMF under QEMU, and
 * Creel's verdict must say what happened. The whole table runs with `npm run firmware`.
 */
const w = tempWorkshop();
const cells = CASES.filter((each) => each.fast).flatMap((each) =>
  each.on.map(([firmware, as]) => ({ name: each.name, firmware, as, make: each.make })),
);

test("the firmware is installed and there is something to judge", () => {
  expect(firmwareIsInstalled()).toBe(true);
  expect(cells.length).toBeGreaterThan(12);
});

test.concurrent.each(cells)("$name on $firmware as $as", async ({ make, name, firmware, as }) => {
  images.set(name, images.get(name) ?? make(w));
  const image = images.get(name) as string;
  const link = await judgeFile(image, firmware, as);
  const { started } = await powerOn(image, firmware, as, w.folder);
  expect({ verdict: link.verdict, trace: link.trace }).toEqual({
    verdict: started ? "holds" : "broken",
    trace: link.trace,
  });
});

const images = new Map<string, string>();
