"use server";

import { saveRule, saveRuleValue, setTravel } from "@/server/inventory/policies";
import { action, input, version } from "../_lib/guard";

export const saveRuleAction = action("saveRule", "lead", [input, version.nullable()], saveRule);
export const saveRuleValueAction = action("saveRuleValue", "lead", [input], saveRuleValue);
export const setTravelAction = action("setTravel", "lead", [input], setTravel);
