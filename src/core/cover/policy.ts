import { z } from "zod";
import type { PolicyPart } from "../judging/model/parts";
import type { OutcomeKind } from "../judging/routes/outcome";

/**
 * What a computer must have. `back`: brought back by whichever way, an image or a new installation; the others ask for
 * one way of its own.
 */
export const NEEDS = ["back", "image", "reinstall", "startUp", "files"] as const;
export type Need = (typeof NEEDS)[number];

/** Outcomes that count for a need. */
export const NEED_OUTCOMES: Record<Need, readonly OutcomeKind[]> = {
  back: ["image", "reinstall", "factory"],
  image: ["image"],
  reinstall: ["reinstall"],
  startUp: ["start-up"],
  files: ["files"],
};

/** What counts as proof: a drill on the computer itself; on it or one of its model; a verification; nothing is asked. */
export const PROOFS = ["computer", "model", "verified", "none"] as const;
export type Proof = (typeof PROOFS)[number];

const routes = z.number().int().min(0).max(9);
const days = z.number().int().min(1).max(3660).nullable();

/** Everything that a policy can say. Ages in days, null: any age will do. */
export const policyValuesSchema = z.object({
  /** How many media must serve a need. */
  back: routes,
  image: routes,
  reinstall: routes,
  startUp: routes,
  files: routes,
  /** How long the way to them may take, in minutes; null: however long. */
  withinMinutes: z.number().int().min(0).max(10_000).nullable(),
  /** Whether a route counts that holds once a setting is changed. */
  changesAllowed: z.boolean(),
  proof: z.enum(PROOFS),
  drillDays: days,
  verificationDays: days,
  imageDays: days,
  systemFilesDays: days,
  factsDays: days,
  /** Of places: media that are blank and good, and the age of the last stock-taking. */
  spares: z.number().int().min(0).max(999),
  stocktakeDays: days,
});
export type PolicyValues = z.infer<typeof policyValuesSchema>;
export type PolicyKey = keyof PolicyValues;
export const POLICY_KEYS = Object.keys(policyValuesSchema.shape) as PolicyKey[];

/** What holds where nobody said anything. Common practice. */
export const USUAL_VALUES: PolicyValues = {
  ...{ back: 1, image: 0, reinstall: 0, startUp: 0, files: 1, withinMinutes: 60, changesAllowed: true },
  ...{ proof: "model", drillDays: 365, verificationDays: 180, imageDays: 180, systemFilesDays: 730, factsDays: 365 },
  ...{ spares: 1, stocktakeDays: 180 },
};

/** For whom a rule is, from all to one; a later one comes before an earlier one. */
export const SCOPES = ["everywhere", "site", "form", "model", "computer"] as const;
export type Scope = (typeof SCOPES)[number];

export interface PolicyRule {
  id: number;
  scope: Scope;
  /** The place's name, the form, make and model as "Make Model", the tag; empty for everywhere. */
  target: string;
  values: Partial<PolicyValues>;
}

/** Of whom a policy is asked. */
export interface PolicySubject {
  tag: string;
  site: string | null;
  form: string | null;
  make: string | null;
  model: string | null;
}

export interface Resolved {
  values: PolicyValues;
  /** The rule that each value is from; null: what is usual. */
  from: Record<PolicyKey, PolicyRule | null>;
}

/** Maker and model as rules of a policy name them; empty where neither is known. */
export function modelTarget({ make, model }: Pick<PolicySubject, "make" | "model">): string {
  return [make, model].filter(Boolean).join(" ");
}

function targetOf(scope: Scope, subject: PolicySubject): string | null {
  switch (scope) {
    case "everywhere":
      return "";
    case "site":
      return subject.site;
    case "form":
      return subject.form;
    case "model":
      return modelTarget(subject) || null;
    case "computer":
      return subject.tag;
  }
}

const keyOf = (scope: Scope, target: string) => `${scope} ${target.trim().toLowerCase()}`;

/** Rules as they are looked up for many computers; those of equal subjects are resolved once. */
export class Policies {
  private readonly byTarget: Map<string, PolicyRule>;
  private readonly known = new Map<string, Resolved>();

  constructor(readonly rules: readonly PolicyRule[]) {
    this.byTarget = new Map(rules.map((rule) => [keyOf(rule.scope, rule.target), rule]));
  }

  of(subject: PolicySubject): Resolved {
    const applying = SCOPES.flatMap((scope) => {
      const target = targetOf(scope, subject);
      return (target !== null && this.byTarget.get(keyOf(scope, target))) || [];
    });
    const key = applying.map(({ id }) => id).join(" ");
    const values = this.known.get(key) ?? resolved(applying);
    this.known.set(key, values);
    return values;
  }

  /** What holds at a place for no computer in particular. */
  ofSite(site: string): Resolved {
    return this.of({ tag: "", site, form: null, make: null, model: null });
  }
}

/** Each value from the last rule that says it. */
function resolved(rules: readonly PolicyRule[]): Resolved {
  const values: Record<string, unknown> = { ...USUAL_VALUES };
  const from = Object.fromEntries(POLICY_KEYS.map((key) => [key, null])) as Resolved["from"];
  for (const rule of rules)
    for (const key of POLICY_KEYS) {
      if (rule.values[key] === undefined) continue;
      values[key] = rule.values[key];
      from[key] = rule;
    }
  return { values: values as PolicyValues, from };
}

/** What holds where a rule leaves a value out, and the rule that it is from; null: the default. */
export interface Inherited<K extends PolicyKey = PolicyKey> {
  value: PolicyValues[K];
  from: PolicyRule | null;
}

/**
 * What a rule of `scope` inherits of a value. `of`: the computer that it is for, where it is for one. "varies": a rule
 * of a scope in between says it for some of the computers that this one is for, so that it differs among them.
 */
export function inheritedBy<K extends PolicyKey>(
  rules: readonly PolicyRule[],
  scope: Scope,
  key: K,
  of?: PolicySubject,
): Inherited<K> | "varies" {
  const before = SCOPES.slice(0, SCOPES.indexOf(scope));
  const saying = rules.filter((rule) => before.includes(rule.scope) && rule.values[key] !== undefined);
  if (of) {
    const { values, from } = new Policies(saying).of(of);
    return { value: values[key], from: from[key] };
  }
  const [everywhere] = saying.filter((rule) => rule.scope === "everywhere");
  if (saying.length > (everywhere ? 1 : 0)) return "varies";
  return { value: (everywhere?.values[key] ?? USUAL_VALUES[key]) as PolicyValues[K], from: everywhere ?? null };
}

/** What only rules for all and for sites say: no computer has it. */
export const SITE_KEYS: readonly PolicyKey[] = ["spares", "stocktakeDays"];

/** What of a policy the chain is judged by. */
export function chainPolicy({ drillDays, verificationDays, proof }: PolicyValues): PolicyPart {
  return { drillDays, verificationDays, proof };
}
