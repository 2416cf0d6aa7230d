import { actionText, entitiesText, noteText } from "./events";

test("an act is told in today's words, over one and over many", () => {
  expect(`Ina Torvald ${actionText("handed back")} HO-001`).toBe("Ina Torvald closed the call-out for HO-001");
  expect(`${actionText("was called to")} ${entitiesText("call-out", 3)}`).toBe("opened a call-out for 3 computers");
  expect(`${actionText("added")} ${entitiesText("way", 1200)}`).toBe("added 1,200 travel times");
  expect(actionText("renamed")).toBe("renamed");
});

test("the day at the end of a note is told as people read it; a name with a day in it stays", () => {
  expect(noteText("2026-12-10")).toBe("10 Dec 2026");
  expect(noteText("Timetable program 7, 2026-12-06")).toBe("Timetable program 7, 6 Dec 2026");
  expect(noteText("image HO-001 2026-10-30")).toBe("image HO-001 2026-10-30");
});
