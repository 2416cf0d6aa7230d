import { revalidatePath } from "next/cache";
import type { Result } from "@/server/problems";

/** Every page is read again once an act was done; a refusal changes none. */
export function refreshIfDone<T>(result: Result<T>): Result<T> {
  if (result.ok) revalidatePath("/", "layout");
  return result;
}
