import { readFileSync } from "node:fs";
import { run } from "../../../../scripts/media/workshop";
import { dayOf } from "../../kernel/days";
import { calendarProblemText } from "../../words/calendars";
import { type CalendarRelease, readCalendar, releaseOfVersion, supportOn } from "./calendar";

/** The open data set itself: distro-info-data of Debian. */
function calendar(file: string): CalendarRelease[] {
  const reading = readCalendar(readFileSync(`/usr/share/distro-info/${file}.csv`, "utf8"));
  if (!reading.ok) throw new Error(reading.problems.map(calendarProblemText).join(" "));
  return reading.releases;
}

test.each(["debian", "ubuntu"])("the calendar of %s is read to the last release as it is", (file) => {
  const lines = readFileSync(`/usr/share/distro-info/${file}.csv`, "utf8").trim().split("\n").length - 1;
  expect(calendar(file)).toHaveLength(lines);
});

test("an installed version finds its release; points and marks do not matter, other numbers do", () => {
  const [debian, ubuntu] = [calendar("debian"), calendar("ubuntu")];
  expect(releaseOfVersion(debian, "12")?.series).toBe("bookworm");
  expect(releaseOfVersion(debian, "12.5")?.series).toBe("bookworm");
  expect(releaseOfVersion(debian, "bookworm")?.version).toBe("12");
  expect(releaseOfVersion(ubuntu, "22.04")?.series).toBe("jammy");
  expect(releaseOfVersion(ubuntu, "22.04.4 LTS")?.series).toBe("jammy");
  expect(releaseOfVersion(debian, "1")).toBeNull();
  expect(releaseOfVersion(debian, null)).toBeNull();
});

// Day by day what the reference reader of these files says, at both edges of every release's support.
test("supported or not as distro-info itself tells for the same days", () => {
  for (const file of ["debian", "ubuntu"] as const) {
    for (const release of calendar(file).filter((each) => each.release && each.release > "2015")) {
      const end = release.ends.find((each) => each.name === "eol")?.date;
      if (!end || end > "2026") continue;
      const before = dayOf(new Date(Date.parse(end) - 86_400_000));
      for (const [day, wanted] of [
        [before, true],
        [end, false],
      ] as const) {
        const listed = run(`${file}-distro-info`, ["--supported", `--date=${day}`])
          .split("\n")
          .includes(release.series);
        const plain = supportOn(release, day).state === "supported";
        expect([release.series, day, plain]).toEqual([release.series, day, wanted]);
        // The tool counts longer support of some releases as support; never less than the plain one.
        if (plain) expect([release.series, day, listed]).toEqual([release.series, day, true]);
      }
    }
  }
});

test("support after the plain one is told as such, and its end too", () => {
  const release = calendar("debian").find((each) => each.series === "bookworm") as CalendarRelease;
  const [eol] = release.ends;
  expect(supportOn(release, "2026-01-01")).toMatchObject({ state: "supported", end: { name: "eol" } });
  expect(supportOn(release, eol?.date as string)).toMatchObject({ state: "extended", end: { name: "eol-lts" } });
  expect(supportOn(release, "2099-01-01").state).toBe("ended");
  expect(supportOn(release, "2020-01-01").state).toBe("not-released");
});

const HEADER = "version,codename,series,created,release,eol";
test.each([
  ["", /^No column/],
  ["a,b\n1,2", /^No column “version”, .*version,codename,series,created,release,eol/],
  [`${HEADER}\n1,One,one,2020-01-01,2020-02-30,2021-01-01`, /Line 2, release: “2020-02-30” is no date/],
  [`${HEADER}\n1,One,,2020-01-01,,`, /Line 2: a release needs its series/],
  [`${HEADER}\n1,One,one,,,\n2,Two,one,,,`, /Line 3: the series “one” is on line 2 already/],
  [HEADER, /no release/],
])("%j is refused whole, by line", (text, problem) => {
  const reading = readCalendar(text);
  expect(reading.ok ? "" : reading.problems.map(calendarProblemText).join(" ")).toMatch(problem);
});

test("own products in the same form, months for what is planned", () => {
  const reading = readCalendar(`\uFEFF${HEADER},eol-extra\r\n11.4,Gannet 11.4,g114,,2025-03-01,2027-02,2029-02-28\r\n`);
  expect(reading).toMatchObject({
    ok: true,
    endNames: ["eol", "eol-extra"],
    releases: [
      {
        ends: [
          { name: "eol", date: "2027-02-28" },
          { name: "eol-extra", date: "2029-02-28" },
        ],
      },
    ],
  });
});
