"use server";

import { chooseRoute, closeCallout, openCallout, setNewComputer, setNewDisk } from "@/server/callouts/callouts";
import type { Result } from "@/server/problems";
import { currentContext } from "../_lib/context";
import { refreshIfDone } from "../_lib/refresh";

export async function openCalloutAction(input: unknown): Promise<Result<number>> {
  return refreshIfDone(await openCallout(await currentContext(), input));
}

export async function chooseRouteAction(
  id: number,
  wanted: { medium: string; outcome: string; image: string | null; release: string | null },
): Promise<Result<number>> {
  return refreshIfDone(await chooseRoute(await currentContext(), id, wanted));
}

export async function setNewDiskAction(id: number, disk: unknown): Promise<Result<number>> {
  return refreshIfDone(await setNewDisk(await currentContext(), id, disk));
}

export async function setNewComputerAction(id: number, tag: string): Promise<Result<number>> {
  return refreshIfDone(await setNewComputer(await currentContext(), id, tag));
}

export async function closeCalloutAction(id: number, outcome: unknown): Promise<Result<number>> {
  return refreshIfDone(await closeCallout(await currentContext(), id, outcome));
}
