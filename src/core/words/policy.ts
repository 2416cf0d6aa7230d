import type { Need, PolicyKey, PolicyRule, PolicyValues, Proof, Scope } from "../cover/policy";

const NEED_TITLES: Record<Need | "spare", string> = {
  back: "brought back",
  image: "as of an image",
  reinstall: "reinstalled",
  startUp: "start-up repaired",
  files: "files rescued",
  spare: "a blank spare",
};

/** What a policy asks for, as a heading. */
export function needTitle(need: Need | "spare"): string {
  return NEED_TITLES[need];
}

const NEED_ACTS: Record<Need, string> = {
  back: "be brought back",
  image: "be as of an image",
  reinstall: "be reinstalled",
  startUp: "have the start-up repaired",
  files: "have the files rescued",
};

/** What a way is to: "have the files rescued". */
export function needAct(need: Need): string {
  return NEED_ACTS[need];
}

/** Columns of tables: what a place's computers have of a need. */
export const NEED_HEADS: Record<Need, string> = {
  back: "Brought back",
  image: "As of an image",
  reinstall: "Reinstalled",
  startUp: "Start-up repaired",
  files: "Files rescued",
};

const PROOF_TITLES: Record<Proof, string> = {
  computer: "a drill on the computer itself",
  model: "a drill on it or one of its model",
  verified: "a verification of the medium",
  none: "nothing is asked",
};

/** What counts as proof, in a few words. */
export function proofTitle(proof: Proof): string {
  return PROOF_TITLES[proof];
}

/** What each value of a policy is, as forms and tables call it. */
export const POLICY_TITLES: Record<PolicyKey, string> = {
  back: "Ways to be brought back, by an image or a new installation",
  image: "Ways to be as of an image",
  reinstall: "Ways to be reinstalled",
  startUp: "Ways to have its start-up repaired",
  files: "Ways to have its files rescued",
  withinMinutes: "Longest way to a medium",
  changesAllowed: "A way counts that holds once a setting is changed",
  proof: "What counts as proof",
  drillDays: "Oldest drill",
  verificationDays: "Oldest verification",
  imageDays: "Oldest image",
  systemFilesDays: "Oldest included system files",
  factsDays: "Oldest facts",
  spares: "Blank spares at a place",
  stocktakeDays: "Oldest stock-taking",
};

/** What a value is counted in, where it is a number that needs one. */
export function policyUnit(key: PolicyKey): "days" | "minutes" | null {
  if (key === "withinMinutes") return "minutes";
  return key.endsWith("Days") ? "days" : null;
}

/** A value as it is read: "365 days", "any age", "yes". */
export function policyValueText<K extends PolicyKey>(key: K, value: PolicyValues[K]): string {
  if (key === "proof") return proofTitle(value as Proof);
  if (key === "changesAllowed") return value ? "yes" : "no";
  if (key === "withinMinutes") return value === null ? "however long" : `${value} minutes`;
  if (value === null) return "any age";
  return key.endsWith("Days") ? `${value} days` : String(value);
}

const SCOPE_TITLES: Record<Scope, string> = {
  everywhere: "Everywhere",
  site: "Place",
  form: "Form",
  model: "Model",
  computer: "Computer",
};

/** For whom a rule holds, as a heading. */
export function scopeTitle(scope: Scope): string {
  return SCOPE_TITLES[scope];
}

/** "as said for North Pier", "as is usual": where a value is from. */
export function fromText(rule: Pick<PolicyRule, "scope" | "target"> | null): string {
  if (rule === null) return "as is usual";
  if (rule.scope === "everywhere") return "as said for all";
  return `as said for ${rule.scope === "form" ? `every ${rule.target}` : rule.target}`;
}

const NEED_NAMES: Record<Need, string> = {
  back: "a route that recovers it",
  image: "a route with an image",
  reinstall: "a route that reinstalls it",
  startUp: "a route that repairs its start-up",
  files: "a route that rescues its files",
};

/** What a computer lacks of a need, in a sentence. */
export function standingLackText(lack: {
  need: Need;
  have: number;
  wanted: number;
  unproven: readonly string[];
  oldImage: string | null;
}): string {
  const { need, have, wanted, unproven, oldImage } = lack;
  const counted = wanted === 1 ? NEED_NAMES[need] : `${NEED_NAMES[need]}, ${wanted} times (has ${have})`;
  if (oldImage !== null) return `Policy requires ${counted}. Its newest usable image, of ${oldImage}, is too old.`;
  return unproven.length > 0
    ? `Policy requires ${counted}. Once proven, ${unproven.join(", ")} would count.`
    : `Policy requires ${counted}. No medium near enough gives it.`;
}
