import { LABEL_FORMATS } from "@/core/making/labels/formats";
import { labelsZpl, ROLL_DPI, ROLL_LABELS } from "@/core/making/labels/zpl";
import { labelsPdf } from "@/server/host/labels";
import { mediaLabels } from "@/server/media/media";
import { route } from "../../_lib/guard";

/** Labels of some media (`tags`, divided by commas) as a PDF, or for label printers as ZPL (`dpi`); `from`: the first free place on the sheet. */
export const GET = route("readLabels", "reader", async ({ request, context }) => {
  const query = new URL(request.url).searchParams;
  const tags = (query.get("tags") ?? "").split(",").filter(Boolean).slice(0, 200);
  const roll = ROLL_LABELS.find(({ key }) => key === query.get("format"));
  if (roll) {
    const labels = await mediaLabels(context, tags);
    if (labels.length === 0) return new Response("There is no medium of that tag.", { status: 404 });
    const dpi = ROLL_DPI.find((each) => each === Number(query.get("dpi"))) ?? ROLL_DPI[0];
    return new Response(labelsZpl(labels, roll, dpi), {
      headers: {
        "content-type": "text/plain; charset=utf-8",
        "content-disposition": `attachment; filename="labels.zpl"`,
      },
    });
  }
  const format = LABEL_FORMATS.find(({ key }) => key === query.get("format")) ?? LABEL_FORMATS[0];
  const labels = await mediaLabels(context, tags);
  if (!format || labels.length === 0) return new Response("There is no medium of that tag.", { status: 404 });
  const pdf = await labelsPdf(labels, format, Number(query.get("from")) || 1);
  return new Response(pdf as Uint8Array<ArrayBuffer>, {
    headers: { "content-type": "application/pdf", "content-disposition": `inline; filename="labels.pdf"` },
  });
});
