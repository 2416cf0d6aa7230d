/** What was done, as the log keeps it, in the words of today; rows from before keep their own. */
const ACTIONS: Record<string, string> = {
  "brought back": "returned to service:",
  "took in facts of": "imported facts of",
  "put off": "postponed",
  "took up": "reopened",
  "was called to": "opened a call-out for",
  "worked on": "updated",
  "handed back": "closed",
};

const PLURALS: Record<string, string> = {
  medium: "media",
  "key card": "boot key cards",
  "call-out": "call-outs",
  "planned drill": "drills",
  policy: "policy rules",
  way: "travel times",
  upkeep: "tasks",
  person: "people",
};

/** "33 computers": what one act was done to. */
export function entitiesText(entity: string, count: number): string {
  return `${count.toLocaleString("en-GB")} ${PLURALS[entity] ?? `${entity}s`}`;
}

/** "imported facts of": what a person did, before its object. */
export function actionText(action: string): string {
  return ACTIONS[action] ?? action;
}
