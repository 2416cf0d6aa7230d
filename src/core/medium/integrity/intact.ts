import type { InnerArchive } from "./inner";

/** Whether an archive was found intact. By itself: pages ask it, and need none of the readers for it. */
export function isIntact({ result }: InnerArchive): boolean {
  return result.state === "whole" || (result.state === "by-contents" && result.damaged === 0);
}
