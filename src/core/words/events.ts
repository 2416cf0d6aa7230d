import { dayText } from "./dates";

/** What was done, as the log keeps it, in the words of today; rows from before keep their own. */
const ACTIONS: Record<string, string> = {
  "brought back": "returned to service:",
  "took in facts of": "imported facts of",
  "put off": "postponed",
  "took up": "reopened",
  "was called to": "opened a call-out for",
  "worked on": "updated the call-out for",
  "handed back": "closed the call-out for",
};

const PLURALS: Record<string, string> = {
  medium: "media",
  "key card": "boot key cards",
  "call-out": "computers",
  "planned drill": "drills",
  policy: "policy rules",
  way: "travel times",
  upkeep: "tasks",
  person: "people",
};

/** "(…, 6 Dec 2026)": a note of the log, whose day at the end is kept as ISO. */
export function noteText(note: string): string {
  return note.replace(/(^|, )(\d{4}-\d{2}-\d{2})$/, (_all, before: string, day: string) => before + dayText(day));
}

/** "33 computers": what one act was done to. */
export function entitiesText(entity: string, count: number): string {
  return `${count.toLocaleString("en-GB")} ${PLURALS[entity] ?? `${entity}s`}`;
}

/** "imported facts of": what a person did, before its object. */
export function actionText(action: string): string {
  return ACTIONS[action] ?? action;
}
