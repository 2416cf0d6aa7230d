import { bodyOf, openRoute, problemResponse } from "@/app/_lib/guard";
import { authOf } from "@/server/accounts/auth";
import { DIRECTORY, directory } from "@/server/accounts/directory";
import { passkeyHost } from "@/server/accounts/passkey-host";
import { database } from "@/server/db/client";
import { doorRefusal } from "@/server/host/addresses";

/** What the sign-in library is asked by Creel's pages; whatever else it could do nobody can ask for. */
const ASKED = new Set(
  [
    ...[
      "sign-in/email",
      "sign-in/social",
      "sign-in/demo",
      "sign-out",
      "request-password-reset",
      "reset-password",
      "change-password",
    ],
    ...["passkey/verify-registration", "passkey/verify-authentication"],
    ...["two-factor/enable", "two-factor/disable", "two-factor/verify-totp", "two-factor/verify-backup-code"],
  ].map((path) => `/api/auth/${path}`),
);
const BODY_BYTES_MAX = 16 << 10;

export const POST = openRoute("signIn", async (request) => {
  if (doorRefusal(request.method, request.headers) !== null)
    return problemResponse({ code: "refused", why: { code: "not-from-here" } });
  const { pathname } = new URL(request.url);
  if (!ASKED.has(pathname)) return new Response(null, { status: 404 });
  const body = await bodyOf(request, BODY_BYTES_MAX);
  if (!body.ok) return problemResponse(body.problem);
  const { headers, method, url } = request;
  return authOf(database()).handler(new Request(url, { method, headers, body: Buffer.from(body.value) }));
});

/** What passkeys are made and asked for with. */
const PASSKEY_OPTIONS = new Set(["generate-register-options", "generate-authenticate-options"]);

/**
 * Where a company's directory sends back whom it knows, and what passkeys are asked for with; what came with them is
 * checked by the library.
 */
export const GET = openRoute("signInBack", async (request) => {
  const path = new URL(request.url).pathname.replace(/^\/api\/auth\//, "");
  const isBack = path === `callback/${DIRECTORY}` && directory() !== null;
  const isPasskey = passkeyHost() !== null && PASSKEY_OPTIONS.has(path.replace(/^passkey\//, ""));
  if ((!isBack && !isPasskey) || doorRefusal(request.method, request.headers) !== null)
    return new Response(null, { status: 404 });
  return authOf(database()).handler(request);
});
