import { dayText } from "./dates";

/** What each role may do, the least first; each may do what those before it may. */
const ROLE_TEXTS: Record<string, { name: string; may: string }> = {
  reader: { name: "Reader", may: "reads everything, changes nothing." },
  technician: {
    name: "Technician",
    may: "records computers, media, images and drills, makes media, works on call-outs.",
  },
  lead: {
    name: "Lead",
    may: "does what a technician does; also retires, changes many at once, sets policy and stores, accepts plans, sends mails.",
  },
  administrator: {
    name: "Administrator",
    may: "does what a lead does; also invites people, sets their roles, reads the audit.",
  },
};

export function roleText(role: string): string {
  return ROLE_TEXTS[role]?.name ?? role;
}

/** "reads everything, changes nothing.": what somebody with that role may do, behind a colon. */
export function roleMayText(role: string): string {
  return ROLE_TEXTS[role]?.may ?? "";
}

const SIGN_IN_PROBLEMS: Record<string, string> = {
  PROVIDER_NOT_FOUND: "The directory does not answer. Try again, or use your password.",
  PASSKEY_NOT_FOUND: "This passkey was removed. Sign in with your password, then add it again.",
  SESSION_NOT_FRESH: "You signed in a while ago. Sign out and in again, then add the passkey.",
  CHALLENGE_NOT_FOUND: "It took too long. Try again.",
  INVALID_EMAIL_OR_PASSWORD: "Wrong mail address or password.",
  INVALID_EMAIL: "This is not a mail address.",
  ACCOUNT_WAITS: "Too many wrong passwords. Wait some minutes, or reset the password.",
  ACCOUNT_CLOSED: "This account is closed. Ask an administrator.",
  INVALID_CODE: "Wrong code. Enter the current one.",
  INVALID_BACKUP_CODE: "Wrong backup code, or one that was used.",
  INVALID_TWO_FACTOR_COOKIE: "The sign-in took too long. Start again.",
  TOO_MANY_ATTEMPTS_REQUEST_NEW_CODE: "Too many wrong codes. Start again.",
  INVALID_TOKEN: "This link is used or too old. Request a new one.",
  INVALID_PASSWORD: "Wrong password.",
  PASSWORD_TOO_SHORT: "The password has fewer than 12 characters.",
  PASSWORD_TOO_LONG: "The password has more than 128 characters.",
};

/** Why somebody was not signed in. `status`: of the answer (RFC 9110), where it has no code. */
export function signInProblemText(code: string | null, status: number): string {
  const known = code === null ? undefined : SIGN_IN_PROBLEMS[code];
  if (known) return known;
  if (status === 429) return "Too many attempts. Wait a minute, then try again.";
  return "Sign-in failed. Try again; if it fails again, ask an administrator.";
}

/** What stands for somebody whose name was removed. */
export function formerMemberText(id: number): string {
  return `Former member ${id}`;
}

/** What is sent to somebody who forgot a password. */
export function passwordMailText(name: string, link: string): { subject: string; text: string } {
  return {
    subject: "Creel: new password",
    text: `Hello ${name},\n\nchoose a new password here, within one hour:\n${link}\n\nNot requested by you? Ignore this mail: nothing changes.\n`,
  };
}

/** What is sent to somebody who gets an account. `days`: for how long the link can be used. */
export function invitationMailText(
  name: string,
  { link, by, days }: { link: string; by: string; days: number },
): { subject: string; text: string } {
  return {
    subject: "Creel: your account",
    text: `Hello ${name},\n\n${by} invites you to Creel. Choose a password here, within ${days} days:\n${link}\n`,
  };
}

/** Why a company's directory did not let somebody in, by the code that the library gives. */
export function directoryRefusalText(code: string): string {
  if (code === "account_not_linked" || code === "signup_disabled" || code === "unable_to_link_account")
    return "Your mail address in the directory has no account here, or is not verified there. Ask an administrator to invite you.";
  if (code === "ACCOUNT_CLOSED") return "This account is closed. Ask an administrator.";
  if (code === "access_denied") return "The directory refused to sign you in. Ask its administrator.";
  return "The directory did not sign you in. Try again, or use your password.";
}

const OUTCOMES: Record<string, string> = {
  done: "done",
  invalid: "refused: an entry does not fit",
  stale: "refused: changed meanwhile",
  failed: "failed: a fault of the server",
  "role-needed": "refused: role too low",
  "other-site": "refused: another site",
  "signed-out": "refused: not signed in",
  "not-from-here": "refused: from a foreign page",
  malformed: "refused: not of the form that is needed",
  invalid_email_or_password: "refused: wrong mail address or password",
  "second-factor-needed": "right password, code needed",
  account_waits: "refused: too many wrong passwords",
  account_closed: "refused: account closed",
};

const TOKEN_KINDS: Record<string, { name: string; may: string }> = {
  calendar: { name: "Calendar", may: "reads what is due as a calendar, by an address of its own." },
  read: { name: "Read", may: "reads computers, media, chains, cover and what is due through the HTTP interface." },
  metrics: { name: "Metrics", may: "reads the figures of a server, for Prometheus." },
  bench: {
    name: "Bench",
    may: "makes the ports of a computer berths of the bench. Bench hosts are added under Bench, Hosts.",
  },
  facts: {
    name: "Facts",
    may: "reports facts of computers, and reads nothing. Links for collectors are made under Computers, Collect facts.",
  },
};

export function tokenKindText(kind: string): string {
  return TOKEN_KINDS[kind]?.name ?? kind;
}

/** What a token of that kind is good for. */
export function tokenMayText(kind: string): string {
  return TOKEN_KINDS[kind]?.may ?? "";
}

/** "retire computer": what was asked, by its code. */
export function askedText(act: string): string {
  return act.replace(/([a-z])([A-Z])/g, (_all, before: string, after: string) => `${before} ${after.toLowerCase()}`);
}

/** What came of it. */
export function outcomeText(outcome: string): string {
  const status = /^status-(\d+)$/.exec(outcome)?.[1];
  if (status) return `refused: answer ${status}`;
  return OUTCOMES[outcome] ?? `refused: ${outcome.replaceAll("-", " ")}`;
}

/** What is wrong with the nightly backups. */
export function backupAlarmText({ failedAt, lastGoodAt }: { failedAt: Date | null; lastGoodAt: Date | null }): string {
  const day = (at: Date) => dayText(at.toISOString().slice(0, 10));
  const last = lastGoodAt ? `Last good one: ${day(lastGoodAt)}.` : "There is no good one yet.";
  if (failedAt) return `The backup of ${day(failedAt)} failed; the server log has the details. ${last}`;
  return `No backup for two days. ${last}`;
}
