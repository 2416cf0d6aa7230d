import { type ChildProcess, spawn } from "node:child_process";
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, type Page, test } from "@playwright/test";
import { makeSimulated, saveSimulated } from "@/server/devices/simulated";
import { openForm } from "./helpers";

// A computer elsewhere, with the program that the server itself hands out and nothing else: no database, no project.
const MIB = 1 << 20;
const folder = mkdtempSync(join(tmpdir(), "creel-bench-host-"));
const ports = join(folder, "ports");
const running = new Set<ChildProcess>();

test.afterAll(() => {
  for (const child of running) child.kill("SIGKILL");
  rmSync(folder, { recursive: true, force: true });
});

/** Starts the program; `said` gives what it has printed. */
function started(baseURL: string, name: string) {
  const child = spawn(
    process.execPath,
    [
      ...[join(folder, "creel-bench.cjs"), "--server", baseURL, "--token-file", join(folder, "token")],
      ...["--simulated", ports, "--name", name, "--folder", join(folder, "state")],
    ],
    { cwd: folder, env: { PATH: process.env.PATH ?? "", NODE_ENV: "production" } },
  );
  running.add(child);
  let printed = "";
  for (const stream of [child.stdout, child.stderr])
    stream.on("data", (data) => {
      printed += data;
    });
  const ended = new Promise<number | null>((resolve) => child.once("exit", (code) => resolve(code)));
  return { child, ended, said: () => printed };
}

/** The berth of a host, on the bench. */
async function berth(page: Page, host: string, port: string) {
  await page.goto("/bench");
  return page
    .getByRole("region", { name: `Bench host ${host}` })
    .getByRole("listitem")
    .filter({ has: page.getByText(port, { exact: true }) });
}

test("a laptop becomes a bench host, is killed while it writes, goes on, and is ended", async ({ page, baseURL }) => {
  test.setTimeout(180_000);
  await openForm(page, "/bench/hosts");
  await expect(page.getByText("No bench host yet.")).toBeVisible();
  await page.getByLabel("Name", { exact: true }).fill("Pier laptop");
  await page.getByRole("button", { name: "Add host" }).click();
  const lines = await page.getByRole("status").locator("pre").last().textContent();
  const secret = /creel_[\w-]+/.exec(lines ?? "")?.[0] ?? "";
  expect(lines).toContain(`${baseURL}/bench/hosts/creel-bench.cjs`);
  writeFileSync(join(folder, "token"), `${secret}\n`, { mode: 0o600 });
  const program = await fetch(`${baseURL}/bench/hosts/creel-bench.cjs`);
  writeFileSync(join(folder, "creel-bench.cjs"), new Uint8Array(await program.arrayBuffer()));

  mkdirSync(ports, { recursive: true });
  const stick = {
    ...({ kind: "usb", sectorBytes: 512 } as const),
    ...{ model: "Norlight Dart 300", serial: "NP-55417733", bytes: 400 * MIB },
    faults: { slowAfter: { bytes: 2 * MIB, writeRate: 6e6 } },
  };
  const port = join(ports, "USB 1-2");
  await makeSimulated(port, stick);
  const first = started(baseURL ?? "", "pier-laptop");
  await expect.poll(first.said).toContain("Connected.");
  // The bench is open, and shows what is plugged in there by itself.
  const own = await berth(page, "pier-laptop", "USB 1-2");
  await expect(own.getByText(/Norlight Dart 300/)).toBeVisible({ timeout: 15_000 });
  await expect(own.getByText("Content not recognised.")).toBeVisible({ timeout: 15_000 });
  await openForm(page, "/bench/hosts");
  await expect(page.getByText("pier-laptop")).toBeVisible();
  await expect(page.getByText("connected", { exact: true })).toBeVisible();

  await (await berth(page, "pier-laptop", "USB 1-2")).getByRole("link", { name: "Make a medium" }).click();
  await page.getByRole("link", { name: "No computer in particular" }).click();
  await page.locator("select[name=release]").selectOption({ label: "Bollard 5.0" });
  await page.getByLabel("Write as").selectOption({ label: "partition and copy files" });
  await page.getByRole("button", { name: "Use this release" }).click();
  await page.getByLabel("Tag of the medium").fill("ZH-01");
  await page.getByRole("button", { name: "Preview plan" }).click();
  await expect(page.getByText(/^Route will hold for \d+ computers$/)).toBeVisible();
  await expect(page.locator("form[aria-busy=false]").last()).toBeVisible();
  await page.getByLabel(/^Confirm the device/).fill("7733");
  await page.getByRole("button", { name: "Erase and write ZH-01" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Make ZH-01");
  const job = page.url();
  await expect(page.getByText("writing", { exact: false }).first()).toBeVisible();
  first.child.kill("SIGKILL");
  await first.ended;
  await expect(async () => {
    await page.goto(job);
    await expect(page.getByText(/interrupted/i).first()).toBeVisible({ timeout: 500 });
  }).toPass();

  // The stick is quick from now on, and nobody has to do anything but start the program again.
  await saveSimulated(port, { ...stick, readRate: null, writeRate: null, faults: {} });
  const second = started(baseURL ?? "", "pier-laptop");
  await page.goto(job);
  await expect(page.getByText(/^Verified: all .* read back and intact/)).toBeVisible({ timeout: 60_000 });
  await expect(page.getByText(/^Resumed: of /)).toBeVisible();
  await page.goto("/media/ZH-01");
  await expect(page.getByRole("heading", { level: 1 })).toContainText("ZH-01");

  await openForm(page, "/bench/hosts");
  await page.getByRole("button", { name: "End Pier laptop" }).click();
  await expect(page.getByText("No bench host yet.")).toBeVisible();
  expect(await second.ended).toBe(2);
  expect(second.said()).toContain("creel-bench: ");
});
