/** What a company's directory is called in addresses and records. */
export const DIRECTORY = "directory";

/** A company's own directory, as the environment says: where it is, and as whom Creel asks it. */
export interface Directory {
  issuer: string;
  client: string;
  secret: string;
  /** As the sign-in page calls it. */
  name: string;
  /** It does not say whether it verified a mail address, and is believed all the same. */
  isMailTrusted: boolean;
}

/** The directory that people may sign in by; null where there is none. */
export function directory(environment: Readonly<Record<string, string | undefined>> = process.env): Directory | null {
  const { CREEL_OIDC_ISSUER: issuer, CREEL_OIDC_CLIENT: client, CREEL_OIDC_SECRET: secret } = environment;
  if (!issuer || !client || !secret) return null;
  const name = environment.CREEL_OIDC_NAME || "company account";
  return { issuer, client, secret, name, isMailTrusted: environment.CREEL_OIDC_TRUSTS_MAIL === "1" };
}
