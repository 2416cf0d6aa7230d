import { linkOf } from "../judging/links/ruling";
import type { ImagePart } from "../judging/model/parts";
import { LINK_NAMES, type Links, type Verdict } from "../judging/model/schema";
import type { Outcome } from "../judging/routes/outcome";
import { type Route, rankRoutes, weakestOf } from "../judging/routes/routes";
import { answerText, behindText, mediumAnswerText, routeText, servesText, standingText } from "./routes";

const CHANGE = { setting: "usbStart", from: "off", to: "on" } as const;
const IMAGE = { id: "HO-001 2026-03-01", takenAt: "2026-03-01T08:00:00Z" } as ImagePart;
const AS_IMAGED: Outcome = { kind: "image", image: IMAGE };

/** A route whose links hold but for those that are said. */
function route(medium: string, outcome: Outcome | null, but: Partial<Record<keyof Links, Verdict>> = {}): Route {
  const links = Object.fromEntries(
    LINK_NAMES.map((name) => {
      const verdict = but[name] ?? "holds";
      const changes = verdict === "holds-after-change" ? [CHANGE] : [];
      return [name, linkOf({ verdict, reasons: [{ code: "medium-not-read" }], changes })];
    }),
  ) as Links;
  const rest = { computer: "HO-001", release: "Spindle 3.0", distance: 0, madeOn: "2026-03-01" };
  return { ...rest, medium, as: "usb", outcome, links, weakest: weakestOf(links) };
}

const only = (kind: "reinstall" | "factory" | "start-up" | "files"): Outcome => ({ kind, image: null });

test.each<[string, Route[], string]>([
  ["nothing", [], "No medium recorded that recovers HO-001."],
  ["an image", [route("SP-01", AS_IMAGED)], "SP-01 recovers HO-001: as of 1 Mar 2026."],
  [
    "two that hold",
    [route("SP-01", AS_IMAGED), route("LN-01", only("reinstall"))],
    "SP-01 recovers HO-001: as of 1 Mar 2026. One more route holds too.",
  ],
  ["factory state", [route("FA-01", only("factory"))], "FA-01 restores the factory state of HO-001."],
  ["files", [route("RM-01", only("files"))], "RM-01 rescues the files of HO-001."],
  ["start-up", [route("RM-01", only("start-up"))], "RM-01 repairs the start-up of HO-001."],
  [
    "a change",
    [route("LN-01", only("reinstall"), { starts: "holds-after-change" })],
    "LN-01 recovers HO-001: reinstalled, after a change: switch start from USB on.",
  ],
  [
    "a sure one that gives back less, and one that is not sure",
    [route("SP-01", AS_IMAGED, { sees: "unknown" }), route("RM-01", only("files"))],
    "RM-01 rescues the files of HO-001. SP-01 would recover more, as of 1 Mar 2026, but is unknown at Sees.",
  ],
])("the answer for %s", (_what, routes, text) => {
  expect(answerText("HO-001", rankRoutes(routes))).toBe(text);
});

test("where nothing is sure the answer says where the nearest is in doubt, and why", () => {
  const unsure = answerText("HO-001", [route("SP-01", AS_IMAGED, { proven: "unknown" })]);
  expect(unsure).toMatch(/^No confirmed route for HO-001\. Nearest is SP-01, unknown at Proven\. Medium not read/);
  const broken = answerText("HO-001", [route("SP-01", AS_IMAGED, { starts: "broken" })]);
  expect(broken).toMatch(/^No route for HO-001\. Nearest is SP-01, breaks at Starts\./);
});

test("of two routes that are as weak the one that gets further comes first, and it is said so", () => {
  const [first, second] = rankRoutes([
    route("A-SOONER", only("files"), { sees: "unknown" }),
    route("B-LATER", only("files"), { proven: "unknown" }),
  ]);
  expect([first?.medium, second?.behind]).toEqual(["B-LATER", "sooner"]);
  expect(first && second && behindText(first, second)).toBe("because Sees, needed earlier, is unknown.");
});

test("a line of a list says what comes back, what to change, or where it is in doubt", () => {
  expect(routeText(route("SP-01", AS_IMAGED))).toBe("As of 1 Mar 2026.");
  expect(routeText(route("SP-01", AS_IMAGED, { starts: "holds-after-change" }))).toBe(
    "As of 1 Mar 2026. Switch start from USB on.",
  );
  expect(routeText(route("SP-01", AS_IMAGED, { restores: "broken" }))).toMatch(/^Restores broken\. Medium not read/);
});

test.each([
  [
    { holds: 12, "holds-after-change": 3, unknown: 1, broken: 2 },
    "a route for 15",
    /for 12 computers, and 3 computers after a change\.$/,
  ],
  [{ holds: 0, "holds-after-change": 1, unknown: 1, broken: 2 }, "a route for 1", /for 1 computer after a change\.$/],
  [
    { holds: 0, "holds-after-change": 0, unknown: 4, broken: 2 },
    "unknown for 4",
    /deciding facts are missing for 4 computers/,
  ],
  [{ holds: 0, "holds-after-change": 0, unknown: 0, broken: 2 }, "no route", /no route for any computer\.$/],
  [{ holds: 0, "holds-after-change": 0, unknown: 0, broken: 0 }, "no route", /No computer recorded/],
])("a medium that comes to %j", (counts, short, long) => {
  expect(servesText(counts)).toBe(short);
  expect(mediumAnswerText("SP-01", counts)).toMatch(long);
});

test("a medium that is not in service serves nobody; a computer without media has none recorded", () => {
  expect(servesText(null)).toBe("");
  expect(standingText("none")).toBe("no medium recorded");
});
