import { NEEDS, POLICY_KEYS, PROOFS, SCOPES, USUAL_VALUES } from "../cover/policy";
import {
  fromText,
  NEED_HEADS,
  needAct,
  needTitle,
  POLICY_TITLES,
  policyUnit,
  policyValueText,
  proofTitle,
  scopeTitle,
} from "./policy";

test("every value, need, proof and scope has a name of its own", () => {
  const distinct = (names: readonly string[]) => expect(new Set(names).size).toBe(names.length);
  distinct(POLICY_KEYS.map((key) => POLICY_TITLES[key]));
  distinct(NEEDS.map(needTitle));
  distinct(NEEDS.map(needAct));
  distinct(NEEDS.map((need) => NEED_HEADS[need]));
  distinct(PROOFS.map(proofTitle));
  distinct(SCOPES.map(scopeTitle));
});

test("values are read with what they are counted in", () => {
  expect(policyValueText("drillDays", 365)).toBe("365 days");
  expect(policyValueText("drillDays", null)).toBe("any age");
  expect(policyValueText("withinMinutes", 30)).toBe("30 minutes");
  expect(policyValueText("withinMinutes", null)).toBe("any travel time");
  expect(policyValueText("changesAllowed", true)).toBe("yes");
  expect(policyValueText("changesAllowed", false)).toBe("no");
  expect(policyValueText("back", 2)).toBe("2");
  expect(policyValueText("proof", "computer")).toBe("a drill on the computer itself");
  expect(POLICY_KEYS.filter((key) => policyUnit(key) === "minutes")).toEqual(["withinMinutes"]);
  expect(POLICY_KEYS.filter((key) => policyUnit(key) === "days").every((key) => key.endsWith("Days"))).toBe(true);
  for (const key of POLICY_KEYS) expect(policyValueText(key, USUAL_VALUES[key])).not.toMatch(/undefined|null/);
});

test("a value says from where it is", () => {
  expect(fromText(null)).toBe("default");
  expect(fromText({ scope: "everywhere", target: "" })).toBe("rule for all computers");
  expect(fromText({ scope: "form", target: "server" })).toBe("rule for every server");
  expect(fromText({ scope: "site", target: "North Pier" })).toBe("rule for North Pier");
});
