import { passkey } from "@better-auth/passkey";
import { betterAuth } from "better-auth";
import { drizzleAdapter } from "better-auth/adapters/drizzle";
import { APIError, createAuthEndpoint, createAuthMiddleware } from "better-auth/api";
import { setSessionCookie } from "better-auth/cookies";
import { genericOAuth, twoFactor } from "better-auth/plugins";
import { eq } from "drizzle-orm";
import { z } from "zod";
import { passwordMailText } from "@/core/words/accounts";
import type { Database } from "../db/client";
import { accounts, attempts, credentials, passkeys, secondFactors, sessions, verifications } from "../db/schema";
import { clientAddress, ownOrigins } from "../host/addresses";
import { mailer } from "../host/mailer";
import { log } from "../log";
import { recordAudit } from "./audit";
import { DIRECTORY, type Directory, directory } from "./directory";
import { passkeyHost } from "./passkey-host";
import { hashPassword, isPassword, PASSWORD_LENGTH } from "./passwords";

const HOUR = 3600;
/** OWASP ASVS 4.0, 3.3.2: a session that nobody used for so long is over. Seconds. */
const IDLE_SECONDS = 12 * HOUR;
/** How often a session that is used is told to live on. Seconds. */
const RENEWED_SECONDS = 600;
/** OWASP ASVS 4.0, 2.2.1: wrong passwords in a row that are looked at without waiting, and how long is waited then. */
const WRONG_AT_ONCE = 8;
const WAIT_MINUTES = { first: 1, most: 30 } as const;

/** Whether this is the demo, in which anybody signs in as any of its people. `npm start` never sets it. */
export const isDemo = () => process.env.CREEL_DEMO === "1";

/** An account by what came with a request of the library's, that nobody else can have said. */
const byMail = (db: Database, email: unknown) =>
  typeof email === "string"
    ? db.query.accounts.findFirst({ where: eq(accounts.email, email.trim().toLowerCase()) })
    : Promise.resolve(undefined);

/** Signs in as one of the demo's people, without a password. */
const demoSignIn = (db: Database) => ({
  id: "demo",
  endpoints: {
    signInDemo: createAuthEndpoint(
      "/sign-in/demo",
      { method: "POST", body: z.object({ person: z.number().int() }) },
      async (ctx) => {
        const account = await db.query.accounts.findFirst({ where: eq(accounts.personId, ctx.body.person) });
        const user = account && (await ctx.context.internalAdapter.findUserById(account.id));
        if (!user) throw new APIError("NOT_FOUND", { code: "NO_SUCH_PERSON", message: "There is no such person." });
        const session = await ctx.context.internalAdapter.createSession(user.id);
        await setSessionCookie(ctx, { session, user });
        return ctx.json({ signedIn: true });
      },
    ),
  },
});

/**
 * A company's own directory, by OpenID Connect Core 1.0 with PKCE (RFC 7636): it says whose mail address somebody has, and
 * lets in who has an account with it. It makes no accounts.
 */
const directorySignIn = ({ issuer, client, secret, name }: Directory) =>
  genericOAuth({
    config: [
      {
        ...{
          providerId: DIRECTORY,
          name,
          clientId: client,
          clientSecret: secret,
          scopes: ["openid", "email", "profile"],
        },
        discoveryUrl: `${issuer.replace(/\/$/, "")}/.well-known/openid-configuration`,
        ...{ pkce: true, requireIdTokenVerification: true },
        ...{ disableSignUp: true, disableImplicitSignUp: true, overrideUserInfo: false },
      },
    ],
  });

/**
 * The library that signs people in, on a database: by mail address and password (Argon2id), with a second factor (TOTP,
 * RFC 6238), or by a company's directory. Its tables are those of `db/schema/accounts.ts`. It writes them by itself, outside of acts: nothing that is
 * told of the fleet follows from them.
 */
function makeAuth(db: Database) {
  const company = directory();
  const host = passkeyHost();
  const [origin = "http://127.0.0.1:4824"] = ownOrigins();
  return betterAuth({
    appName: "Creel",
    baseURL: origin,
    basePath: "/api/auth",
    secret: process.env.CREEL_SECRET ?? "",
    trustedOrigins: ownOrigins(),
    telemetry: { enabled: false },
    logger: {
      level: "error",
      log: (_level, message) => log.error({ from: "sign-in" }, message),
    },
    database: drizzleAdapter(db, {
      provider: "mysql",
      schema: {
        ...{ user: accounts, session: sessions, account: credentials, verification: verifications },
        ...{ twoFactor: secondFactors, passkey: passkeys, rateLimit: attempts },
      },
    }),
    onAPIError: {
      // What somebody is refused for is told to them, and is in the audit.
      onError: (error) => {
        if (!(error instanceof APIError)) log.error({ err: error, from: "sign-in" }, "sign-in failed");
      },
    },
    user: {
      additionalFields: {
        personId: { type: "number", required: true, input: false },
        role: { type: "string", required: true, input: false },
        closedAt: { type: "date", required: false, input: false },
      },
    },
    account: {
      accountLinking: {
        enabled: true,
        // Nobody but an administrator says who has which mail address here; the directory has to have verified it.
        requireLocalEmailVerified: false,
        trustedProviders: company?.isMailTrusted ? [DIRECTORY] : [],
        updateUserInfoOnLink: false,
      },
      // What the directory hands over is not used again.
      encryptOAuthTokens: true,
    },
    session: { expiresIn: IDLE_SECONDS, updateAge: RENEWED_SECONDS, freshAge: HOUR },
    emailAndPassword: {
      enabled: true,
      // Accounts are made by administrators.
      disableSignUp: true,
      minPasswordLength: PASSWORD_LENGTH.least,
      maxPasswordLength: PASSWORD_LENGTH.most,
      resetPasswordTokenExpiresIn: HOUR,
      revokeSessionsOnPasswordReset: true,
      password: { hash: hashPassword, verify: ({ password, hash }) => isPassword(password, hash) },
      sendResetPassword: async ({ user, token }) => {
        const told = passwordMailText(user.name, `${origin}/password?token=${token}`);
        const to = { name: user.name, address: user.email };
        await mailer().send({ to, ...told, isPersonal: true }, new Date());
      },
    },
    rateLimit: {
      enabled: true,
      storage: "database",
      window: 60,
      max: 120,
      customRules: {
        "/sign-in/email": { window: 60, max: 20 },
        "/sign-in/social": { window: 60, max: 60 },
        "/passkey/*": { window: 60, max: 60 },
        "/callback/*": { window: 60, max: 60 },
        "/sign-in/demo": { window: 60, max: 1_000 },
        "/get-session": false,
        "/request-password-reset": { window: 300, max: 6 },
        "/reset-password": { window: 60, max: 10 },
        "/two-factor/*": { window: 60, max: 12 },
      },
    },
    advanced: {
      cookiePrefix: "creel",
      useSecureCookies: origin.startsWith("https:"),
      defaultCookieAttributes: { httpOnly: true, sameSite: "lax" },
      database: { generateId: "uuid" },
    },
    databaseHooks: {
      session: {
        create: {
          before: async ({ userId }) => {
            const account = await db.query.accounts.findFirst({ where: eq(accounts.id, userId) });
            if (!account || account.closedAt)
              throw new APIError("FORBIDDEN", { code: "ACCOUNT_CLOSED", message: "closed" });
          },
          after: async ({ userId, ipAddress }, ctx) => {
            const account = await db.query.accounts.findFirst({ where: eq(accounts.id, userId) });
            if (!account) return;
            await db.update(accounts).set({ failures: 0, waitsUntil: null }).where(eq(accounts.id, userId));
            const who = { id: account.personId, name: account.name };
            // The library makes a session for the right password, and takes it back where a code is needed as well.
            const isHalf = account.twoFactorEnabled && ctx?.path === "/sign-in/email";
            await recordAudit({ db, now: () => new Date() }, who, {
              ...{ act: "sign-in", outcome: isHalf ? "second-factor-needed" : "done", origin: ipAddress ?? null },
            });
          },
        },
      },
    },
    hooks: {
      before: createAuthMiddleware(async (ctx) => {
        if (ctx.path !== "/sign-in/email") return;
        const account = await byMail(db, ctx.body?.email);
        if (!account?.waitsUntil || account.waitsUntil <= new Date()) return;
        const asked = { act: "sign-in", outcome: "account_waits", origin: clientAddress(ctx.headers) };
        await recordAudit({ db, now: () => new Date() }, { id: account.personId, name: account.name }, asked);
        throw new APIError("TOO_MANY_REQUESTS", { code: "ACCOUNT_WAITS", message: "waits" });
      }),
      after: createAuthMiddleware(async (ctx) => {
        if (ctx.path.startsWith("/callback/")) return backFromDirectory(db, ctx);
        if (ctx.path !== "/sign-in/email" || !(ctx.context.returned instanceof APIError)) return;
        const account = await byMail(db, ctx.body?.email);
        const code = String(ctx.context.returned.body?.code ?? "refused").toLowerCase();
        const origin = clientAddress(ctx.headers);
        const who = account ? { id: account.personId, name: account.name } : null;
        await recordAudit({ db, now: () => new Date() }, who, { act: "sign-in", outcome: code, origin });
        if (!account || code !== "invalid_email_or_password") return;
        const failures = account.failures + 1;
        await db
          .update(accounts)
          .set({ failures, waitsUntil: waitsUntil(failures) })
          .where(eq(accounts.id, account.id));
      }),
    },
    plugins: [
      twoFactor({ issuer: "Creel", skipVerificationOnEnable: false }),
      // Web Authentication, level 2: a passkey is of one name of a server, and is asked for the person's own gesture.
      ...(host
        ? [
            passkey({
              ...{ rpID: host, rpName: "Creel", origin: ownOrigins() },
              authenticatorSelection: { residentKey: "required", userVerification: "required" },
            }),
          ]
        : []),
      ...(company ? [directorySignIn(company)] : []),
      ...(isDemo() ? [demoSignIn(db)] : []),
    ],
  });
}

/** Whom the directory sent back and who is not let in: that is in the audit. Who is let in is there with the session. */
async function backFromDirectory(
  db: Database,
  { context, headers }: { context: { returned?: unknown }; headers?: Headers | undefined },
): Promise<void> {
  const { returned } = context;
  const location = returned instanceof APIError ? new Headers(returned.headers).get("location") : null;
  const code =
    location && URL.canParse(location, "http://x") && new URL(location, "http://x").searchParams.get("error");
  if (!code) return;
  const asked = {
    act: "sign-in",
    outcome: code.slice(0, 60),
    origin: clientAddress(headers),
    detail: { by: DIRECTORY },
  };
  await recordAudit({ db, now: () => new Date() }, null, asked);
}

/** Each wrong password more doubles how long is waited. */
function waitsUntil(failures: number): Date | null {
  if (failures < WRONG_AT_ONCE) return null;
  const minutes = Math.min(WAIT_MINUTES.first * 2 ** (failures - WRONG_AT_ONCE), WAIT_MINUTES.most);
  return new Date(Date.now() + minutes * 60_000);
}

export type Auth = ReturnType<typeof makeAuth>;
const made = new WeakMap<Database, Auth>();

/** The library on a database, made once. */
export function authOf(db: Database): Auth {
  const known = made.get(db);
  if (known) return known;
  const auth = makeAuth(db);
  made.set(db, auth);
  return auth;
}
