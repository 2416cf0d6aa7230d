import type { Reason } from "../../words/reasons";
import type { Link, Verdict } from "../model/schema";

/** What one way of starting comes to, before the computer's settings about ports are looked at. */
export interface Path {
  verdict: Exclude<Verdict, "holds-after-change">;
  basis: Link["basis"];
  reasons: Reason[];
  trace: string[];
  /** It would hold, were Secure Boot off. */
  blocked?: boolean;
}
