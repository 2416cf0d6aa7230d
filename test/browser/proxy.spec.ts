import { type ChildProcess, spawn, spawnSync } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { request as https } from "node:https";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, test } from "@playwright/test";
import { serve } from "../../scripts/lib/build.mjs";
import { freePort } from "../../scripts/lib/database.mjs";

// Creel behind nginx with TLS, by the example that is in the documentation.

const folder = mkdtempSync(join(tmpdir(), "creel-proxy-"));
let nginx: ChildProcess;
let server: Awaited<ReturnType<typeof serve>>;
let address: URL;

test.beforeAll(async () => {
  const [own, outside] = [await freePort(), await freePort()];
  address = new URL(`https://127.0.0.1:${outside}`);
  const [key, certificate] = [join(folder, "key"), join(folder, "certificate")];
  const made = spawnSync("openssl", [
    ...["req", "-x509", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes", "-days", "2"],
    ...["-subj", "/CN=creel.example", "-keyout", key, "-out", certificate],
  ]);
  expect(made.status).toBe(0);
  const example = readFileSync("docs/deploy/nginx.conf", "utf8")
    .replace("listen 443 ssl;", `listen 127.0.0.1:${outside} ssl;`)
    .replace("listen 80;", `listen 127.0.0.1:${await freePort()};`)
    .replace("/etc/ssl/certs/creel.example.pem", certificate)
    .replace("/etc/ssl/private/creel.example.key", key)
    .replace("http://127.0.0.1:4824", `http://127.0.0.1:${own}`);
  mkdirSync(join(folder, "temp"));
  const kinds = ["client_body", "proxy", "fastcgi", "uwsgi", "scgi"];
  const paths = kinds.map((kind) => `${kind}_temp_path ${join(folder, "temp", kind)};`).join("\n");
  const around = `pid ${join(folder, "pid")};\nevents {}\nhttp {\naccess_log off;\n${paths}\n${example}\n}\n`;
  writeFileSync(join(folder, "nginx.conf"), around);
  const more = { CREEL_DEMO: "1", CREEL_URL: address.origin };
  server = await serve(own, process.env.DATABASE_URL ?? "", join(folder, "web.log"), join(folder, "data"), { more });
  nginx = spawn("nginx", [
    "-p",
    folder,
    "-e",
    join(folder, "error.log"),
    "-c",
    join(folder, "nginx.conf"),
    "-g",
    "daemon off;",
  ]);
  await expect
    .poll(() =>
      ask("GET", "/health").then(
        ({ status }) => status,
        () => 0,
      ),
    )
    .toBe(200);
});
test.afterAll(() => {
  nginx?.kill("SIGTERM");
  server?.kill("SIGKILL");
  rmSync(folder, { recursive: true, force: true });
});

interface Answer {
  status: number;
  headers: Record<string, string | string[] | undefined>;
  text: string;
}

function ask(method: string, path: string, headers: Record<string, string> = {}, body = ""): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const sent = https(new URL(path, address), { method, headers, rejectUnauthorized: false }, (answer) => {
      let text = "";
      answer.on("data", (data) => {
        text += data;
      });
      answer.on("end", () => resolve({ status: answer.statusCode ?? 0, headers: answer.headers, text }));
    });
    sent.on("error", reject);
    sent.end(body);
  });
}

test("sessions are for https alone, and browsers are told to stay with it", async () => {
  const signedIn = await ask(
    "POST",
    "/api/auth/sign-in/demo",
    { origin: address.origin, "content-type": "application/json", "x-forwarded-for": "203.0.113.9" },
    JSON.stringify({ person: 3 }),
  );
  expect(signedIn.status).toBe(200);
  const [set = ""] = [signedIn.headers["set-cookie"] ?? []].flat();
  expect(set).toMatch(/^__Secure-creel\.session_token=[^;]+; .*HttpOnly; Secure; SameSite=Lax$/);
  const cookie = set.split(";")[0] ?? "";
  const audit = await ask("GET", "/audit", { cookie });
  expect(audit.status).toBe(200);
  expect(audit.headers["strict-transport-security"]).toContain("max-age=31536000");
  // Where somebody came from is what the proxy saw, not what they say.
  expect(audit.text).not.toContain("203.0.113.9");
});

test("no other name and no other page gets through it", async () => {
  const foreign = await ask("GET", "/sign-in", { host: "evil.example" });
  expect(foreign.status).toBe(421);
  const body = JSON.stringify({ person: 3 });
  for (const origin of [address.origin.replace("https", "http"), "https://evil.example", "null"]) {
    const headers = { origin, "content-type": "application/json" };
    expect([origin, (await ask("POST", "/api/auth/sign-in/demo", headers, body)).status]).toEqual([origin, 403]);
  }
  const behind = await ask("GET", "/sign-in", { "x-forwarded-host": "evil.example" });
  expect(behind.status).toBe(200);
});
