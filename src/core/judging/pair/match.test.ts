import { factsSchema } from "@/core/computer/facts/schema";
import { inspect } from "@/core/medium/inspection/inspect";
import { IMAGES } from "../../../../scripts/demo/images";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { matchDocument, matchDocumentSchema } from "../../words/documents/match";
import { compareVerdicts } from "../model/order";
import { LINK_NAMES, verdictSchema } from "../model/schema";
import { betterStart, matchFiles } from "./match";

const w = tempWorkshop();
const read = async (image: keyof typeof IMAGES) =>
  (await inspect(memory(IMAGES[image].make(w)), { name: image })).inspection;
const bios = factsSchema.parse({ schema: "creel.facts/1", firmware: { kind: "bios" } });

test("verdicts are ordered: holds, after a change, unknown, broken", () => {
  const sorted = [...verdictSchema.options].sort(compareVerdicts);
  expect(sorted).toEqual(["holds", "holds-after-change", "unknown", "broken"]);
  for (const a of sorted)
    for (const b of sorted) expect(Math.sign(compareVerdicts(a, b))).toBe(-Math.sign(compareVerdicts(b, a)) + 0);
});

test("without a word about how, the better way of attaching is judged, a stick where both are as good", async () => {
  expect(betterStart(await read("spindleDisc"), bios, null)).toMatchObject({
    as: "optical",
    starts: { verdict: "holds" },
  });
  expect(betterStart(await read("bollard5"), bios, null)).toMatchObject({ as: "usb", starts: { verdict: "holds" } });
  expect(betterStart(await read("papers"), bios, null)).toMatchObject({ as: "usb", starts: { verdict: "broken" } });
});

test("a match is whole: five links, each with a verdict and a reason in words", async () => {
  const match = matchDocumentSchema.parse(
    matchDocument(matchFiles({ views: (await read("bollard4")).views, release: null }, bios, "usb")),
  );
  for (const name of LINK_NAMES) {
    expect(match.links[name].reasons.length).toBeGreaterThan(0);
    for (const reason of match.links[name].reasons) expect(reason.text).toMatch(/^[A-Z].*\.$/);
  }
  expect(match.links.starts.trace.length).toBeGreaterThan(0);
});
