import { z } from "zod";

/** What somebody may do, the least first: each may do what those before it may. */
export const ROLES = ["reader", "technician", "lead", "administrator"] as const;
export type Role = (typeof ROLES)[number];
export const roleSchema = z.enum(ROLES);

/** Whether a role is enough for what asks for another one. */
export function isEnough(own: Role, needed: Role): boolean {
  return ROLES.indexOf(own) >= ROLES.indexOf(needed);
}
