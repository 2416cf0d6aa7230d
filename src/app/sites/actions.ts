"use server";

import { addSite, setNamePattern } from "@/server/inventory/sites";
import { compareStock, giveBack, lend, type Stocktaking, takeStock } from "@/server/media/loans";
import type { Result } from "@/server/problems";
import { currentContext } from "../_lib/context";
import { refreshIfDone } from "../_lib/refresh";

export async function addSiteAction(input: unknown): Promise<Result<number>> {
  return refreshIfDone(await addSite(await currentContext(), input));
}

export async function lendAction(input: unknown): Promise<Result<number>> {
  return refreshIfDone(await lend(await currentContext(), input));
}

export async function giveBackAction(tag: string, siteId: number | null): Promise<Result<number>> {
  return refreshIfDone(await giveBack(await currentContext(), tag, siteId));
}

export async function setNamePatternAction(id: number, version: number, pattern: string): Promise<Result<number>> {
  return refreshIfDone(await setNamePattern(await currentContext(), id, version, pattern));
}

export async function compareStockAction(siteId: number, tags: string[]): Promise<Result<Stocktaking>> {
  return compareStock(await currentContext(), siteId, tags);
}

export async function takeStockAction(siteId: number, tags: string[]): Promise<Result<Stocktaking>> {
  return refreshIfDone(await takeStock(await currentContext(), siteId, tags));
}
