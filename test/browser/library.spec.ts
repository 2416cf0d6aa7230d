import { createHash } from "node:crypto";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, test } from "@playwright/test";
import { IMAGES } from "../../scripts/demo/images";
import { serve } from "../../scripts/lib/build.mjs";
import { freePort } from "../../scripts/lib/database.mjs";
import { demoSession } from "../../scripts/lib/session.mjs";
import { choose, openForm, PEOPLE } from "./helpers";

const data = process.env.CREEL_DATA ?? join(".creel", "demo", "data");
const library = join(data, "library");
const folder = mkdtempSync(join(tmpdir(), "creel-library-"));
test.afterAll(() => rmSync(folder, { recursive: true, force: true }));

test("a release's file is sent to the server by dropping it, and what is no such file is told so", async ({ page }) => {
  const name = IMAGES.bollard5.file;
  const bytes = readFileSync(join(library, name));
  // It is on the technician's disk under another name, and not in the library.
  const own = join(folder, "from the maker.img");
  writeFileSync(own, bytes);
  rmSync(join(library, name));
  const other = join(folder, "other.img");
  writeFileSync(other, "nothing that anybody read");
  writeFileSync(join(library, "left-over.img"), "left over");
  await openForm(page, "/library");
  const files = page.getByRole("list", { name: "Files of releases" });
  await expect(files.getByRole("listitem").filter({ hasText: "Bollard 5.0" })).toContainText("missing");
  await choose(page, own, other);
  await expect(page.getByText("other.img is no file that a recorded release was read from.")).toBeVisible();
  const uploads = page.getByRole("list", { name: "Latest uploads" });
  await expect(uploads.getByRole("listitem").first()).toContainText(`${name}`);
  await expect(uploads.getByRole("listitem").first()).toContainText("in the library");
  await expect(files.getByRole("listitem").filter({ hasText: "Bollard 5.0" })).not.toContainText("missing");
  expect(readFileSync(join(library, name)).equals(bytes)).toBe(true);
  await choose(page, join(library, name));
  await expect(page.getByText(`${name} is in the library already.`)).toBeVisible();
  // What nobody needs is removed; what a release needs cannot be.
  await page.getByRole("button", { name: "Remove left-over.img" }).click();
  await expect(page.getByText("left-over.img")).toHaveCount(0);
  await expect(page.getByRole("button", { name: `Remove ${name}` })).toHaveCount(0);
});

test("an upload goes on after its server was killed, and only what was sent whole gets in", async () => {
  test.slow();
  const name = IMAGES.bollard5.file;
  const bytes = readFileSync(join(library, name));
  const sha256 = createHash("sha256").update(bytes).digest("hex");
  const own = mkdtempSync(join(folder, "data-"));
  const port = await freePort();
  const address = `http://127.0.0.1:${port}`;
  const secret = { CREEL_DEMO: "1", CREEL_SECRET: "x".repeat(43) };
  const started = () => serve(port, process.env.DATABASE_URL ?? "", join(folder, "web.log"), own, { more: secret });
  let server = await started();
  try {
    const { header: cookie } = await demoSession(address, PEOPLE.col);
    const tus = (
      ...[method, path, headers = {}, body, signal]: [
        ...[string, string],
        ...[Record<string, string>?, Uint8Array?, AbortSignal?],
      ]
    ) =>
      fetch(address + path, {
        method,
        headers: { cookie, origin: address, "tus-resumable": "1.0.0", ...headers },
        ...(body ? { body: body as Uint8Array<ArrayBuffer> } : {}),
        ...(signal ? { signal } : {}),
      });
    const meta = (told: Record<string, string>) =>
      Object.entries(told)
        .map(([key, value]) => `${key} ${Buffer.from(value).toString("base64")}`)
        .join(",");
    const releases = await (await fetch(`${address}/library`, { headers: { cookie } })).text();
    const release = /\/releases\/(\d+)"[^>]*>Bollard(?:<!-- -->)? (?:<!-- -->)?5\.0/.exec(releases)?.[1] ?? "";
    const begin = (length: number, told: Record<string, string>) =>
      tus("POST", "/api/library", { "upload-length": String(length), "upload-metadata": meta(told) });

    // Before anything is sent: another size, a release that is none, nothing that can be read.
    expect((await begin(bytes.length + 1, { release, sha256 })).status).toBe(400);
    expect(await (await begin(bytes.length + 1, { release, sha256 })).json()).toEqual({
      problem: expect.stringContaining("Choose the file that the release was read from."),
    });
    expect((await begin(bytes.length, { release: "999999", sha256 })).status).toBe(404);
    expect((await begin(bytes.length, { release, sha256: "../../etc" })).status).toBe(400);

    const begun = await begin(bytes.length, { release, sha256 });
    expect(begun.status).toBe(201);
    const path = begun.headers.get("location") ?? "";
    const send = (from: number, part: Uint8Array, signal?: AbortSignal) => {
      const headers = { "upload-offset": String(from), "content-type": "application/offset+octet-stream" };
      return tus("PATCH", path, headers, part, signal);
    };
    const third = Math.floor(bytes.length / 3);
    expect((await send(0, bytes.subarray(0, third))).status).toBe(204);
    // Ten times it is cut off: the connection breaks, or the server is killed, while a part is on its way or just after.
    for (let nth = 0; nth < 10; nth++) {
      const isKilled = nth % 2 === 0;
      const line = new AbortController();
      const offset = Number((await tus("HEAD", path)).headers.get("upload-offset"));
      expect(offset).toBeGreaterThanOrEqual(third);
      const part = Math.floor((bytes.length - offset) / 4);
      const sending = send(offset, bytes.subarray(offset, offset + part), line.signal).catch(() => null);
      if (nth % 4 > 1) await sending;
      if (isKilled) server.kill("SIGKILL");
      else line.abort();
      await sending;
      if (isKilled) server = await started();
    }
    const offset = Number((await tus("HEAD", path)).headers.get("upload-offset"));
    // A part that does not begin where the last one ended is refused.
    expect((await send(offset + 1, bytes.subarray(offset + 1))).status).toBe(409);
    expect((await send(offset, bytes.subarray(offset))).status).toBe(204);
    await expect.poll(() => readIfThere(join(own, "library", name))?.equals(bytes), { timeout: 30_000 }).toBe(true);
    const told = async () =>
      (await (await fetch(`${address}/library`, { headers: { cookie } })).text()).replace(/<[^>]*>/g, "");
    await expect.poll(told, { timeout: 30_000 }).toMatch(/bollard-5\.0\.iso, 7\.34 MB: in the library/);
    expect((await begin(bytes.length, { release, sha256 })).status).toBe(409);
    // Nothing of it is left where it arrived.
    expect(readIfThere(join(own, "uploads", path.split("/").at(-1) ?? ""))).toBeNull();
  } finally {
    server.kill("SIGKILL");
  }
});

function readIfThere(path: string): Buffer | null {
  try {
    return readFileSync(path);
  } catch {
    return null;
  }
}
