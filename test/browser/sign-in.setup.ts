import { mkdirSync, writeFileSync } from "node:fs";
import { dirname } from "node:path";
import type { FullConfig } from "@playwright/test";
import { demoSession } from "../../scripts/lib/session.mjs";

/** Signs in once, for all tests that do not say otherwise. */
export default async function signIn(config: FullConfig): Promise<void> {
  const { baseURL, storageState } = config.projects[0]?.use ?? {};
  if (!baseURL || typeof storageState !== "string") throw new Error("The tests have no address, or keep no session.");
  const { cookies } = await demoSession(baseURL);
  const { hostname } = new URL(baseURL);
  mkdirSync(dirname(storageState), { recursive: true });
  const kept = cookies.map(({ name, value }) => ({
    ...{ name, value, domain: hostname, path: "/", expires: -1 },
    ...{ httpOnly: true, secure: false, sameSite: "Lax" },
  }));
  writeFileSync(storageState, JSON.stringify({ cookies: kept, origins: [] }), { mode: 0o600 });
}
