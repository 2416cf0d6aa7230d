import { readFile } from "node:fs/promises";
import { join } from "node:path";

/** The collectors that Creel hands out, by the names that they are saved under. */
export const COLLECTORS = ["creel-collect.sh", "creel-collect.ps1"] as const;
export type CollectorName = (typeof COLLECTORS)[number];

const folder = () => join(process.cwd(), "collect");

/** A collector as it is in the project: it reports to nobody. */
export const plainCollector = (name: CollectorName): Promise<string> => readFile(join(folder(), name), "utf8");

/** What may stand in a script between single quotes. */
const ADDRESS = /^https?:\/\/[A-Za-z0-9.:[\]-]+$/;
const SECRET = /^creel_[A-Za-z0-9_-]+$/;

/** A collector that knows where to report, and with which token. Throws where the address is none that may stand in it. */
export async function collectorFor(name: CollectorName, address: string, secret: string): Promise<string> {
  if (!ADDRESS.test(address) || !SECRET.test(secret)) throw new Error("This address cannot be put into a script.");
  const script = await plainCollector(name);
  const filled =
    name === "creel-collect.sh"
      ? script.replace(/^SEND=$/m, () => `SEND='${address}'`).replace(/^TOKEN=$/m, () => `TOKEN=${secret}`)
      : script
          .replace("if (-not $Send) { $Send = '' }", () => `if (-not $Send) { $Send = '${address}' }`)
          .replace("if (-not $Token) { $Token = '' }", () => `if (-not $Token) { $Token = '${secret}' }`);
  if (filled.split(secret).length !== 2) throw new Error("The script has no room for a token.");
  return filled;
}
