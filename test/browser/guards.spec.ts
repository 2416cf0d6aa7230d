import { readFileSync } from "node:fs";
import { join } from "node:path";
import { type APIRequestContext, expect, request as http, test } from "@playwright/test";
import { like, sql } from "drizzle-orm";
import { connect } from "@/server/db/client";
import { audits } from "@/server/db/schema";
import { demoSession } from "../../scripts/lib/session.mjs";
import { filesOfApp } from "../support/app-files";
import { PEOPLE } from "./helpers";

// Every page, action and route, called as nobody, as each role, and from elsewhere: as an attacker would, over HTTP.

const NOBODY = { cookies: [], origins: [] };
test.use({ storageState: NOBODY });

const ROLES = { reader: "tam", technician: "col", lead: "ina", administrator: "runa" } as const;
type Role = keyof typeof ROLES;
const RANKS = Object.keys(ROLES) as Role[];
const lowerThan = (role: string) => RANKS.slice(0, Math.max(0, RANKS.indexOf(role as Role)));

/** Requests of somebody; null: of nobody. */
async function as(baseURL: string | undefined, role: Role | null): Promise<APIRequestContext> {
  const session = role && (await demoSession(baseURL ?? "", PEOPLE[ROLES[role]]));
  const extraHTTPHeaders = { origin: baseURL ?? "", ...(session ? { cookie: session.header } : {}) };
  return http.newContext({ ...(baseURL ? { baseURL } : {}), extraHTTPHeaders, storageState: NOBODY, maxRedirects: 0 });
}

/** What guards each export of a file, as it is written there; the units hold what is written to what there is. */
function guardsIn(path: string): { exported: string; role: string }[] {
  const text = readFileSync(join("src", "app", path), "utf8");
  const written =
    /export const (\w+) = (?:action|question|route|tokenRoute|openAction|openRoute)(?:<[^>]*>)?\(\s*"\w+",\s*(?:"(\w+)")?/g;
  return [...text.matchAll(written)].map(([, exported = "", role = "anybody"]) => ({ exported, role }));
}

const ROUTES = filesOfApp((name) => name === "route.ts").flatMap((path) =>
  guardsIn(path).map(({ exported, role }) => ({ path, method: exported, role })),
);

interface Call {
  name: string;
  /** As the build calls it. */
  id: string;
  role: string;
}

/** Every action of the build, by what a browser calls it. */
function calls(): Call[] {
  const manifest = JSON.parse(readFileSync(join(".next", "server", "server-reference-manifest.json"), "utf8"));
  return Object.entries(manifest.node as Record<string, { filename: string; exportedName: string }>).map(
    ([id, { filename, exportedName: name }]) => {
      const guard = guardsIn(filename.replace(/^src\/app\//, "")).find(({ exported }) => exported === name);
      return { id, name, role: guard?.role ?? "nothing guards it" };
    },
  );
}

/** Calls an action with some arguments, and gives what came back. */
async function call(who: APIRequestContext, { id }: Call, args = "[]", headers: Record<string, string> = {}) {
  const answer = await who.post("/sign-in", {
    headers: { "next-action": id, "content-type": "text/plain;charset=UTF-8", ...headers },
    data: args,
  });
  return { status: answer.status(), text: await answer.text() };
}

/** A path of a page or route, with something in its places that is in no inventory. */
const pathOf = (file: string) =>
  `/${file.replace(/\/?(page\.tsx|route\.ts)$/, "")}`
    .replace(/\[\.\.\.\w+\]/g, "session")
    .replace(/\[(id|berth)\]/g, "999999")
    .replace(/\[\w+\]/g, "NOT-THERE");

test("as nobody every page leads to the sign-in, also where a browser asks for a part of it", async ({ baseURL }) => {
  const nobody = await as(baseURL, null);
  const doors = ["/sign-in", "/password", "/set-up"];
  const pages = filesOfApp((name) => name === "page.tsx").map(pathOf);
  expect(pages.length).toBeGreaterThan(40);
  for (const path of pages) {
    const whole = await nobody.get(path);
    const part = await nobody.get(path, { headers: { rsc: "1" } });
    if (doors.includes(path)) expect([path, whole.status()]).toEqual([path, 200]);
    else {
      expect([path, whole.status(), whole.headers().location?.split("?")[0]]).toEqual([path, 307, "/sign-in"]);
      expect(await part.text(), path).not.toContain("HO-00");
    }
  }
  const back = await nobody.get("/media/RM-01?show=files");
  expect(back.headers().location).toBe(`/sign-in?next=${encodeURIComponent("/media/RM-01?show=files")}`);
});

test("as nobody no action does anything, and no route answers", async ({ baseURL }) => {
  const nobody = await as(baseURL, null);
  const all = calls();
  expect(all.length).toBeGreaterThan(80);
  for (const each of all) {
    const { status, text } = await call(nobody, each);
    const expected = each.role === "anybody" ? "malformed" : "signed-out";
    expect([each.name, status, text.includes(`"code":"${expected}"`)]).toEqual([each.name, 200, true]);
  }
  expect(ROUTES.length).toBeGreaterThan(20);
  for (const { path, method, role } of ROUTES)
    if (role !== "anybody") {
      const answer = await nobody.fetch(pathOf(path), { method });
      expect([path, method, answer.status()]).toEqual([path, method, 401]);
      // An answer to HEAD has no body.
      const { problem, detail } = method === "HEAD" ? { problem: "No such token" } : await answer.json();
      expect(problem ?? detail, path).toMatch(/^(Your session is over|No such token)/);
    }
});

test("a role that is too low is told which one is needed", async ({ baseURL }) => {
  const all = calls();
  for (const role of ["reader", "technician", "lead"] as const) {
    const who = await as(baseURL, role);
    for (const each of all.filter((one) => lowerThan(one.role).includes(role))) {
      const { status, text } = await call(who, each);
      expect([role, each.name, status, text.includes('"code":"role-needed"')]).toEqual([role, each.name, 200, true]);
    }
    for (const { path, method } of ROUTES.filter((one) => lowerThan(one.role).includes(role)))
      expect([role, path, (await who.fetch(pathOf(path), { method })).status()]).toEqual([role, path, 403]);
  }
  const reader = await as(baseURL, "reader");
  const administrator = await as(baseURL, "administrator");
  for (const path of ["/people", "/tokens", "/audit"]) {
    const told = await (await administrator.get(path)).text();
    expect([path, told.includes("Administration")]).toEqual([path, true]);
    // What it says has begun to be sent before it is known who asks, so that its status tells nothing.
    const refused = await (await reader.get(path)).text();
    expect([path, refused.includes("Administration"), refused.includes("runa.esk@")]).toEqual([path, false, false]);
  }
});

test("what has another form than it should is refused, and breaks nothing", async ({ baseURL }) => {
  const administrator = await as(baseURL, "administrator");
  const deep = `${"[".repeat(300)}${"]".repeat(300)}`;
  const forms = [
    "[]",
    "[null,null,null,null]",
    "[{},{},{},{}]",
    '["x","x","x","x"]',
    "[-1,1e99,true,0.5]",
    `[${deep}]`,
  ];
  for (const each of calls()) {
    // It has no arguments, and would do what it does.
    if (each.name === "sendDigestsAction") continue;
    for (const form of forms) {
      const { status, text } = await call(administrator, each, form);
      const isRefused = /"ok":false/.test(text);
      expect([each.name, form.slice(0, 30), status, isRefused]).toEqual([each.name, form.slice(0, 30), 200, true]);
    }
  }
});

test("what is written from elsewhere, or by another name, comes no further", async ({ baseURL }) => {
  const who = await as(baseURL, "administrator");
  const [first] = calls();
  if (!first) throw new Error("There is no action.");
  const foreign = [{ origin: "https://evil.example" }, { origin: "null" }, { origin: `${baseURL}.evil.example` }];
  for (const headers of foreign) {
    expect([headers, (await call(who, first, "[]", headers)).status]).toEqual([headers, 421]);
    const mark = await who.post("/api/callouts/1/marks", { headers, data: [] });
    expect([headers, mark.status()]).toEqual([headers, 403]);
    const signIn = await who.post("/api/auth/sign-out", { headers, data: {} });
    expect([headers, signIn.status()]).toEqual([headers, 403]);
  }
  const session = await demoSession(baseURL ?? "", PEOPLE.ina);
  const without = await fetch(`${baseURL}/api/callouts/1/marks`, {
    method: "POST",
    headers: { cookie: session.header },
    body: "[]",
  });
  expect(without.status).toBe(403);
  const named: Record<string, string>[] = [{ host: "evil.example" }, { "x-forwarded-host": "evil.example" }];
  for (const headers of named)
    for (const path of ["/", "/sign-in", "/computers"])
      expect([headers, path, (await who.get(path, { headers })).status()]).toEqual([headers, path, 421]);
  expect((await who.get("/api/fleet", { headers: { "x-forwarded-host": "evil.example" } })).status()).toBe(403);
});

test("pages run nothing but Creel's own, are framed nowhere, and are kept nowhere", async ({ baseURL }) => {
  const who = await as(baseURL, "reader");
  const [one, other] = [await who.get("/computers"), await who.get("/computers")];
  const policy = one.headers()["content-security-policy"] ?? "";
  expect(policy).toMatch(/script-src 'self' 'nonce-[A-Za-z0-9+/=]{24}' 'strict-dynamic' 'wasm-unsafe-eval';/);
  expect(policy).toContain("frame-ancestors 'none'");
  expect(policy).not.toContain("'unsafe-inline' ");
  expect(other.headers()["content-security-policy"]).not.toBe(policy);
  expect(one.headers()).toMatchObject({
    ...{ "x-content-type-options": "nosniff", "x-frame-options": "DENY", "referrer-policy": "same-origin" },
    "cache-control": expect.stringContaining("no-store"),
  });
  const scripts = (await one.text()).match(/<script(?![^>]*nonce=)[^>]*>/g) ?? [];
  expect(scripts).toEqual([]);
});

test("the sign-in library is asked for nothing that no page asks for", async ({ baseURL }) => {
  const who = await as(baseURL, "technician");
  for (const path of ["sign-up/email", "update-user", "change-email", "delete-user", "list-sessions", "admin/set-role"])
    expect([path, (await who.post(`/api/auth/${path}`, { data: {} })).status()]).toEqual([path, 404]);
  expect((await who.get("/api/auth/get-session")).status()).toBe(404);
});

test("a page of what is not there answers 404, whichever page it is", async ({ baseURL }) => {
  const lead = await as(baseURL, "lead");
  const pages = filesOfApp((name) => name === "page.tsx")
    .filter((path) => path.includes("["))
    // An address of before leads on, whatever its berth is called.
    .filter((path) => path !== "bench/prepare/[berth]/page.tsx");
  expect(pages.length).toBeGreaterThan(15);
  for (const page of pages) {
    const path = `/${page
      .replace(/\/page\.tsx$/, "")
      .replace(/\[(?:tag|computer|medium)\]/g, "NOT-THERE")
      .replace(/\[\w+\]/g, "987654")}`;
    const answer = await lead.get(path);
    expect([path, answer.status()]).toEqual([path, 404]);
    expect(await answer.text()).toContain("No such page.");
  }
});

test("who floods a server without signing in fills its audit no further", async ({ baseURL }) => {
  const nobody = await as(baseURL, null);
  const origin = "203.0.113.77";
  const asked = Array.from({ length: 300 }, () =>
    nobody.post("/api/contents", { data: "x", headers: { "x-forwarded-for": origin } }),
  );
  for (const answer of await Promise.all(asked)) expect(answer.status()).toBe(401);
  const db = connect(process.env.DATABASE_URL ?? "");
  const [row] = await db
    .select({ kept: sql<number>`COUNT(*)` })
    .from(audits)
    .where(like(audits.origin, `%${origin}%`));
  await db.$client.end();
  // Two minutes may have begun meanwhile.
  expect(Number(row?.kept)).toBeGreaterThanOrEqual(100);
  expect(Number(row?.kept)).toBeLessThanOrEqual(240);
});
