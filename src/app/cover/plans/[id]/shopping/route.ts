import Papa from "papaparse";
import { getPlan } from "@/server/cover/plans";
import { shoppingList } from "@/server/drills/cover-tasks";
import { route, rowId } from "../../../../_lib/guard";

/** What has to be bought for a plan, as CSV (RFC 4180). */
export const GET = route<{ id: string }>(
  "exportShopping",
  "reader",
  async ({ context, params }) => {
    const plan = await getPlan(context, rowId(params.id));
    if (!plan?.result) return new Response("There is no such plan.", { status: 404 });
    const lines = shoppingList(plan.result, plan.settings);
    const csv = Papa.unparse(
      lines.map(({ site, size, count, price }) => [
        site,
        size === "disc" ? "blank disc" : `stick ${size}`,
        count,
        price,
        count * price,
      ]),
      { escapeFormulae: true },
    );
    return new Response(`site,what,count,price,total\r\n${csv}\r\n`, {
      headers: {
        "content-type": "text/csv; charset=utf-8",
        "content-disposition": `attachment; filename="shopping-${plan.id}.csv"`,
      },
    });
  },
  { isWritten: true },
);
