import type { Need, PolicyKey, PolicyRule, PolicyValues, Proof, Scope } from "../cover/policy";
import { dayText } from "./dates";

const NEED_TITLES: Record<Need | "spare", string> = {
  back: "recovered",
  image: "image restored",
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
  back: "recover it",
  image: "restore an image",
  reinstall: "reinstall it",
  startUp: "have the start-up repaired",
  files: "rescue its files",
};

/** What a way is to: "rescue its files". */
export function needAct(need: Need): string {
  return NEED_ACTS[need];
}

/** Columns of tables: what a place's computers have of a need. */
export const NEED_HEADS: Record<Need, string> = {
  back: "Recovered",
  image: "Image restored",
  reinstall: "Reinstalled",
  startUp: "Start-up repaired",
  files: "Files rescued",
};

const PROOF_TITLES: Record<Proof, string> = {
  computer: "a drill on the computer itself",
  model: "a drill on it or one of its model",
  verified: "a verification of the medium",
  none: "no proof required",
};

/** What counts as proof, in a few words. */
export function proofTitle(proof: Proof): string {
  return PROOF_TITLES[proof];
}

/** What each value of a policy is, as forms and tables call it. */
export const POLICY_TITLES: Record<PolicyKey, string> = {
  back: "Recovery routes (image or reinstall)",
  image: "Image routes",
  reinstall: "Reinstall routes",
  startUp: "Start-up repair routes",
  files: "File rescue routes",
  withinMinutes: "Maximum travel time",
  changesAllowed: "Also if it holds after a change",
  proof: "Proof",
  drillDays: "Maximum drill age",
  verificationDays: "Maximum verification age",
  imageDays: "Maximum image age",
  systemFilesDays: "Maximum age of included system files",
  factsDays: "Maximum age of facts",
  spares: "Blank spares per site",
  stocktakeDays: "Maximum stock-taking age",
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
  if (key === "withinMinutes")
    return value === null ? "any travel time" : value === 0 ? "on site only" : `${value} minutes`;
  if (value === null) return "any age";
  if (key.endsWith("Days")) return `${value} ${value === 1 ? "day" : "days"}`;
  return value === 0 ? "none" : String(value);
}

/** What may be typed for a value, and what blank, 0 and "any" mean. */
export function policyHint(key: PolicyKey): string {
  if (key === "withinMinutes") return "Minutes. 0: on site only. any: no limit. Blank: inherited.";
  if (key.endsWith("Days")) return "Days. any: no limit. Blank: inherited.";
  return "A number. 0: none. Blank: inherited.";
}

/** Where a grey value comes from, as a tooltip of its cell. */
export function inheritedText(from: Pick<PolicyRule, "scope" | "target"> | null): string {
  return from === null ? "Inherited: the default" : `Inherited: ${fromText(from)}`;
}

/** What was changed of a rule: "Maximum drill age for North Pier: 90 days". */
export function ruleChangedText(key: PolicyKey, target: string, value: string | null): string {
  return `${POLICY_TITLES[key]} for ${target}: ${value ?? "inherited"}.`;
}

/** Rules of a policy in groups, as its table shows them. */
export const POLICY_GROUPS: readonly { title: string; keys: readonly PolicyKey[] }[] = [
  { title: "Routes required", keys: ["back", "image", "reinstall", "startUp", "files"] },
  { title: "A route counts", keys: ["withinMinutes", "changesAllowed", "proof"] },
  {
    title: "Maximum ages",
    keys: ["drillDays", "verificationDays", "imageDays", "systemFilesDays", "factsDays"],
  },
  { title: "Sites", keys: ["spares", "stocktakeDays"] },
];

const SCOPE_TITLES: Record<Scope, string> = {
  everywhere: "Everywhere",
  site: "Site",
  form: "Form factor",
  model: "Model",
  computer: "Computer",
};

/** For whom a rule holds, as a heading. */
export function scopeTitle(scope: Scope): string {
  return SCOPE_TITLES[scope];
}

/** For whom a rule is, as the head of its column: "North Pier", "All computers". */
export function ruleTargetText(scope: Scope, target: string): string {
  return scope === "everywhere" ? "All computers" : target;
}

/** For whom a rule is, within a sentence: "North Pier", "every laptop", "all computers". */
export function ruleSubjectText(scope: Scope, target: string): string {
  if (scope === "everywhere") return "all computers";
  return scope === "form" || scope === "model" ? `every ${target}` : target;
}

/** "rule for North Pier", "default": where a value is from. */
export function fromText(rule: Pick<PolicyRule, "scope" | "target"> | null): string {
  if (rule === null) return "default";
  return `rule for ${ruleSubjectText(rule.scope, rule.target)}`;
}

/** What each need is met by: one route, and several. */
const NEED_NAMES: Record<Need, [one: string, several: string]> = {
  back: ["a route that recovers it", "routes that recover it"],
  image: ["a route with an image", "routes with an image"],
  reinstall: ["a route that reinstalls it", "routes that reinstall it"],
  startUp: ["a route that repairs its start-up", "routes that repair its start-up"],
  files: ["a route that rescues its files", "routes that rescue its files"],
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
  const [one, several] = NEED_NAMES[need];
  const counted = wanted === 1 ? one : `${wanted} ${several} (has ${have})`;
  if (oldImage !== null)
    return `Policy requires ${counted}. Its newest usable image, of ${dayText(oldImage)}, is too old.`;
  return unproven.length > 0
    ? `Policy requires ${counted}. Once proven, ${unproven.join(", ")} would count.`
    : `Policy requires ${counted}. No medium near enough gives it.`;
}
