/** Who looks at a program before it runs. */
export type Checker = "firmware" | "itself" | "first-stage";

/** Why a program is not allowed to run. */
export type Refusal =
  | { why: "digest-revoked" }
  | { why: "certificate-revoked"; name: string }
  | { why: "not-signed" }
  | { why: "signer-not-trusted"; signers: string[] }
  | { why: "signature-damaged" }
  | { why: "curve-key"; signers: string[] }
  | { why: "table-damaged" }
  | { why: "sbat-missing" }
  | { why: "sbat-revoked"; component: string; generation: number; least: number };

/** What keeps it from being decided: a list that is not known, or something that is not computed with here. */
export type Undecided = "db" | "dbx" | "sbatLevel" | "signatures" | "revocation-time" | "algorithm";

export type Allowance =
  | { allowed: true; by: "digest" }
  | { allowed: true; by: "certificate"; signer: string; anchor: string; notAfter: string; leniency: boolean }
  | { allowed: false; refusal: Refusal }
  | { allowed: null; undecided: Undecided };

type Omitted<T> = T extends unknown ? Omit<T, "allowed"> : never;
/** By what a program is allowed. */
export type Allowed = Omitted<Extract<Allowance, { allowed: true }>>;
