"use server";

import { recogniseMedium } from "@/server/media/recognise";
import { input, question } from "../_lib/guard";

export const recogniseMediumAction = question("recogniseMedium", "reader", [input], recogniseMedium);
