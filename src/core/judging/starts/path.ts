import type { Link, Verdict } from "../model/schema";

/** What one way of starting comes to, before the computer's settings about ports are looked at. */
export interface Path extends Pick<Link, "basis" | "reasons" | "trace" | "passedOver"> {
  verdict: Exclude<Verdict, "holds-after-change">;
  /** It would hold, were Secure Boot off. */
  blocked?: boolean;
}
