// Keeps the pages of call-outs in the browser, with what they are made of: a sheet in use survives a reload without a
// connection. Runs in the browser, for pages below /callouts/ alone; nothing but these is kept, the newest twenty.

const PAGES = "creel-callouts-1";
const PARTS = "creel-parts-1";
const PAGES_MOST = 20;
/** A connection that went without a word is given up after this. */
const KEEP_MS = 20_000;
const isCallout = (url) => /^\/callouts\/\d+$/.test(url.pathname);
const isPart = (url) => url.pathname.startsWith("/_next/static/");

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

self.addEventListener("message", (event) => {
  const url = new URL(event.data.keep, self.location.origin);
  if (url.origin !== self.location.origin || !isCallout(url)) return;
  event.waitUntil(
    keep(url).then((isKept) =>
      event.source?.postMessage({ kept: isKept ? url.pathname : null, stamp: event.data.stamp }),
    ),
  );
});

self.addEventListener("fetch", (event) => {
  const url = new URL(event.request.url);
  if (event.request.method !== "GET" || url.origin !== self.location.origin) return;
  if (isPart(url)) event.respondWith(part(event.request));
  else if (event.request.mode === "navigate" && isCallout(url)) event.respondWith(page(event.request, url));
});

/** As it is now where the server is reached, else as it was kept. */
async function page(request, url) {
  try {
    return await fetch(request);
  } catch (error) {
    const kept = await (await caches.open(PAGES)).match(url.pathname);
    if (kept) return kept;
    throw error;
  }
}

/** What a build is made of never changes under its name. */
async function part(request) {
  const cache = await caches.open(PARTS);
  const kept = await cache.match(request);
  if (kept) return kept;
  const answer = await fetch(request);
  if (answer.ok) await cache.put(request, answer.clone());
  return answer;
}

async function keep(url) {
  try {
    const answer = await fetch(url.pathname, { credentials: "same-origin", signal: AbortSignal.timeout(KEEP_MS) });
    // Whose session is over is shown the way in: that is not the sheet.
    if (!answer.ok || answer.redirected) return false;
    const text = await answer.clone().text();
    const parts = await caches.open(PARTS);
    const named = new Set(text.match(/\/_next\/static\/[\w./~%-]+\.(?:js|css|woff2)/g) ?? []);
    const wanted = new Set([...named].map((path) => new URL(path, self.location.origin).href));
    await Promise.all([...wanted].map(async (href) => (await parts.match(href)) ?? parts.add(href).catch(() => {})));
    // Style sheets name the fonts.
    for (const href of [...wanted].filter((each) => each.endsWith(".css"))) {
      const sheet = await (await parts.match(href))?.text();
      for (const [, font] of sheet?.matchAll(/url\(["']?([^"')]+\.woff2)/g) ?? []) {
        const at = new URL(font, href).href;
        if (!(await parts.match(at))) await parts.add(at).catch(() => {});
      }
    }
    const pages = await caches.open(PAGES);
    await pages.delete(url.pathname);
    await pages.put(url.pathname, answer);
    const all = await pages.keys();
    for (const old of all.slice(0, Math.max(0, all.length - PAGES_MOST))) await pages.delete(old);
    return true;
  } catch {
    return false;
  }
}
