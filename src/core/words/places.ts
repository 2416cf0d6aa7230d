import type { Place } from "../medium/firmware/place";
import { dayText } from "./dates";
import { visible } from "./visible";

/** Where on a medium a volume or a program lies. */
export function placeText(place: Place): string {
  if (place.length === 0) return "the whole medium";
  return place
    .map(({ kind, number }) => {
      if (kind === "el-torito") return `El Torito entry ${number}`;
      if (kind === "udf") return "the UDF volume";
      return kind === "gpt" ? `GPT partition ${number}` : `MBR partition ${number}`;
    })
    .join(", in it ");
}

/** A loan in a line: "Col Marrick, 13 Oct 2026 to now, due 10 Nov 2026, overdue". `today`: ISO day. */
export function loanText(
  loan: { to: string; since: string; dueOn: string | null; returnedOn: string | null },
  today: string,
): string {
  const until = loan.returnedOn ? dayText(loan.returnedOn) : "now";
  const isOverdue = loan.returnedOn === null && loan.dueOn !== null && loan.dueOn < today;
  const due = loan.returnedOn === null && loan.dueOn ? `, due ${dayText(loan.dueOn)}` : "";
  return `${visible(loan.to, 120)}, ${dayText(loan.since)} to ${until}${due}${isOverdue ? ", overdue" : ""}`;
}
