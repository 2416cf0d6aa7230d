"use server";

import QRCode from "qrcode";
import { z } from "zod";
import { endToken, listTokens, makeToken } from "@/server/accounts/tokens";
import { ownOrigins } from "@/server/host/addresses";
import { getComputer } from "@/server/inventory/computers";
import { listSites } from "@/server/inventory/sites";
import { fail, ok, refused } from "@/server/problems";
import { action, id, word } from "../../_lib/guard";

/** For how many days a link may be good. */
const DAYS = z.union([z.literal(1), z.literal(7), z.literal(30), z.literal(365)]);

/** What a link is: addresses of the two collectors, and codes of them as pictures. */
export interface CollectLink {
  shell: string;
  powershell: string;
  codes: { shell: string; powershell: string };
}

/** Makes a link by which computers of a site, or one computer, report: its address is a secret, told now and not again. */
export const makeCollectLinkAction = action(
  "makeCollectLink",
  "technician",
  [z.object({ siteId: id.nullable(), computer: word, days: DAYS })],
  async (context, { siteId, computer: tag, days }) => {
    const computer = tag.trim() === "" ? null : await getComputer(context, tag.trim());
    if (tag.trim() !== "" && (!computer || computer.row.retiredAt))
      return fail<CollectLink>({
        code: "invalid",
        fields: { computer: `There is no computer ${tag.trim()} in service.` },
      });
    const of = computer ? (computer.row.siteId ?? null) : siteId;
    const { sites } = context;
    if (sites && (of === null || !sites.includes(of))) return refused<CollectLink>({ code: "other-site", site: null });
    const site = (await listSites(context)).find((each) => each.id === siteId);
    const made = await makeToken(context, {
      name: `Collector of ${computer?.row.tag ?? site?.name ?? "all sites"}`.slice(0, 120),
      ...{ kind: "facts", siteId: computer ? null : siteId, computerId: computer?.row.id ?? null, days },
    });
    if (!made.ok) return made;
    const base = `${ownOrigins()[0] ?? ""}/api/collect/${made.value.secret}`;
    const [shell, powershell] = [`${base}/creel-collect.sh`, `${base}/creel-collect.ps1`];
    const code = (text: string) => QRCode.toDataURL(text, { margin: 1, width: 220 });
    return ok<CollectLink>({
      shell,
      powershell,
      codes: { shell: await code(shell), powershell: await code(powershell) },
    });
  },
);

/** Ends a link at once. */
export const endCollectLinkAction = action("endCollectLink", "technician", [id], async (context, token) => {
  const own = (await listTokens(context, "facts")).find((each) => each.id === token);
  if (!own) return fail<null>({ code: "not-found", what: "link" });
  return endToken(context, token);
});
