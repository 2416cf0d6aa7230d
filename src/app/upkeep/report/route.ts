import { siteReport, siteReportCsv, siteReportPdf } from "@/server/upkeep/report";
import { route } from "../../_lib/guard";

/** How a place stands: `?site=` by name, `&form=csv` as a table. */
export const GET = route(
  "exportReport",
  "reader",
  async ({ request, context }) => {
    const query = new URL(request.url).searchParams;
    const report = await siteReport(context, query.get("site") ?? "");
    if (!report) return new Response("No such site. Choose one of the list.", { status: 404 });
    const name = report.site.replace(/[^A-Za-z0-9]+/g, "-").toLowerCase();
    if (query.get("form") === "csv")
      return new Response(siteReportCsv(report), {
        headers: {
          "content-type": "text/csv; charset=utf-8",
          "content-disposition": `attachment; filename="upkeep-${name}-${report.on}.csv"`,
        },
      });
    return new Response(new Uint8Array(await siteReportPdf(report)), {
      headers: {
        "content-type": "application/pdf",
        "content-disposition": `inline; filename="upkeep-${name}-${report.on}.pdf"`,
      },
    });
  },
  { isWritten: true },
);
