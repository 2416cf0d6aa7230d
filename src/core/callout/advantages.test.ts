import type { Link, Verdict } from "../judging/model/schema";
import type { OutcomeKind } from "../judging/routes/outcome";
import type { Route } from "../judging/routes/routes";
import { type Advantage, advantagesOver } from "./advantages";
import type { Offer } from "./offers";

const link = (verdict: Verdict): Link => ({ verdict, basis: null, changes: [], reasons: [], trace: [] });

function offer(
  outcome: OutcomeKind,
  more: { lostDays?: number | null; likely?: number; distance?: number; restores?: Verdict; isEntry?: boolean } = {},
): Offer {
  const { lostDays = 10, likely = 3600, distance = 1, restores = "holds", isEntry = false } = more;
  const holds = link("holds");
  const links = { atHand: holds, starts: holds, sees: holds, restores: link(restores), proven: holds };
  const route: Route = {
    ...{ computer: "A", medium: "M", as: "usb", release: "R", outcome: { kind: outcome, image: null }, links },
    ...{ weakest: restores, distance, madeOn: null, isEntry },
  };
  return { route, outcome, seconds: { low: likely, likely, high: likely }, lostDays, image: null } as unknown as Offer;
}

const best = offer("image");
test.each<[string, Offer, Offer, Advantage[]]>([
  ["the same is no better", best, offer("image"), []],
  ["a younger image", best, offer("image", { lostDays: 2 }), ["loses-less"]],
  ["all that is lost is more than any number of days", best, offer("reinstall", { lostDays: null }), []],
  ["of what loses all, what loses some", offer("reinstall", { lostDays: null }), best, ["loses-less"]],
  ["a few minutes less are within what is guessed", best, offer("image", { likely: 3000 }), []],
  ["half the time, and on site", best, offer("image", { likely: 1800, distance: 0 }), ["sooner", "nearer"]],
  [
    "an entry on its own disk is nearer than anything",
    offer("start-up", { distance: 0 }),
    offer("start-up", { isEntry: true }),
    ["nearer"],
  ],
  ["known to work", offer("image", { restores: "unknown" }), best, ["surer"]],
  ["files that an image does not have", best, offer("files", { likely: 60, distance: 0 }), ["saves-files"]],
  ["files out of the image that goes back anyway", best, offer("image-files", { likely: 60, distance: 0 }), []],
  [
    "files out of an image before a new installation",
    offer("reinstall", { lostDays: null }),
    offer("image-files"),
    ["saves-files"],
  ],
  ["nothing is lost: no files are to be saved", offer("start-up", { lostDays: 0 }), offer("files"), []],
])("what speaks for a way over the best one: %s", (_, first, other, advantages) => {
  expect(advantagesOver(first, other, "does-not-start")).toEqual(advantages);
});
