import { dated } from "./days";

/** Who does most of what at Skerry Line, in turn. */
const HANDS = ["Ina Torvald", "Col Marrick"] as const;
export type Hand = (typeof HANDS)[number] | "Runa Esk";

/** By whom something was done, and when (ISO 8601). */
export interface Done {
  by: Hand;
  at: string;
}

const DAY_MS = 86_400_000;
const BEGAN = "2024-12-02T09:00:00Z";

/** The inventory was begun two years ago; what stands in no other day was done then. */
export const BEGUN: Done = { by: "Runa Esk", at: dated(BEGAN) };
/** The policy came once the first computers were in. */
export const POLICY_SAID: Done = { by: "Runa Esk", at: dated("2025-01-20T14:30:00Z") };

/** What was done on a day, in turn by those who do it. `day`: ISO, as the demo has it; never before the inventory began. */
export function doneOn(day: string, turn: number, hour = 10): Done {
  const at = `${day.slice(0, 10)}T${String(hour).padStart(2, "0")}:${String((turn * 7) % 60).padStart(2, "0")}:00.000Z`;
  return { by: HANDS[turn % HANDS.length] as Hand, at: at < BEGUN.at ? BEGUN.at : at };
}

/** The computers came in over a year and a half; one that was bought second-hand only lately. */
export function computerAdded(tag: string, index: number): Done {
  const late: Record<string, string> = { "FU-X1": "2026-10-19", "HO-006": "2026-06-08", "PE-C1": "2026-04-27" };
  const day = late[tag] ?? new Date(Date.parse(BEGAN) + (2 + index * 17) * DAY_MS).toISOString().slice(0, 10);
  return doneOn(dated(day), index);
}

/** A stick that was lent and is not back. */
export const LENT = dated([
  { tag: "SP-02", to: "Col Marrick", at: "2026-10-12T11:20:00Z", dueOn: "2026-11-09", by: "Ina Torvald" as Hand },
]);
