import { type NextRequest, NextResponse } from "next/server";
import { PATH_HEADER } from "./app/_lib/path-header";
import { problemText } from "./core/words/problems";
import { doorRefusal, ownOrigins } from "./server/host/addresses";

/**
 * What a page may load and run (W3C Content Security Policy 3): what Creel brings itself, by a number that is told once.
 * Style attributes are what lists and charts lay themselves out by; they run nothing.
 */
function policyOf(nonce: string): string {
  return [
    "default-src 'self'",
    `script-src 'self' 'nonce-${nonce}' 'strict-dynamic' 'wasm-unsafe-eval'`,
    `style-src 'self' 'nonce-${nonce}'`,
    "style-src-attr 'unsafe-inline'",
    "img-src 'self' blob: data:",
    "media-src 'self' blob:",
    "worker-src 'self' blob:",
    "object-src 'none'",
    "base-uri 'none'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ].join("; ");
}

const HSTS = "max-age=31536000; includeSubDomains";

/** Stands before every page and action: names that are not Creel's, and writes from elsewhere, come no further. */
export function proxy(request: NextRequest): NextResponse {
  if (doorRefusal(request.method, request.headers) !== null)
    return new NextResponse(problemText({ code: "refused", why: { code: "not-from-here" } }), {
      status: 421,
      headers: { "content-type": "text/plain; charset=utf-8" },
    });
  const nonce = Buffer.from(crypto.getRandomValues(new Uint8Array(16))).toString("base64");
  const policy = policyOf(nonce);
  const headers = new Headers(request.headers);
  headers.set("content-security-policy", policy);
  headers.set("x-nonce", nonce);
  headers.set(PATH_HEADER, `${request.nextUrl.pathname}${request.nextUrl.search}`);
  const response = NextResponse.next({ request: { headers } });
  response.headers.set("content-security-policy", policy);
  response.headers.set("x-content-type-options", "nosniff");
  response.headers.set("x-frame-options", "DENY");
  response.headers.set("referrer-policy", "same-origin");
  response.headers.set("cross-origin-opener-policy", "same-origin");
  response.headers.set("cross-origin-resource-policy", "same-origin");
  response.headers.set("permissions-policy", "camera=(self), geolocation=(), microphone=(), payment=(), usb=()");
  response.headers.set("cache-control", "private, no-store");
  if (ownOrigins().some((origin) => origin.startsWith("https:")))
    response.headers.set("strict-transport-security", HSTS);
  return response;
}

export const config = {
  // Routes below /api take large bodies, which are not to be held here, and are guarded where they answer.
  matcher: ["/((?!api/|health$|ready$|_next/|icon.svg$|call-out-worker.js$).*)"],
};
