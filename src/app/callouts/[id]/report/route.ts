import { route, rowId } from "@/app/_lib/guard";
import { calloutOutcomeText, cameBackText, happeningText, lostText } from "@/core/words/callout";
import { durationText } from "@/core/words/images";
import { stepText } from "@/core/words/steps";
import { type Mark, marksOf, photoOf } from "@/server/callouts/callout-marks";
import { type CalloutDetail, getCallout, stepsOf } from "@/server/callouts/callouts";
import { type ReportBlock, reportPdf } from "@/server/host/report-pdf";
import { dateText, zonedTimeText } from "@/ui/words";

/** The report of a call-out as a PDF: what happened, what was done when, and how it ended. */
export const GET = route<{ id: string }>("readReport", "reader", async ({ context, params }) => {
  const detail = await getCallout(context, rowId(params.id));
  if (!detail) return new Response("There is no such call-out.", { status: 404 });
  const [steps, marks] = await Promise.all([stepsOf(context, detail), marksOf(context, detail.row.id)]);
  const blocks = head(detail);
  for (const [at, { step }] of (steps ?? []).entries()) {
    const marksOfStep = marks.filter((mark) => mark.step === step.code);
    const done = marksOfStep.filter(({ kind }) => kind === "done" || kind === "undone").at(-1);
    const when = done?.kind === "done" ? `${zonedTimeText(done.at)}, ${done.personName}` : "not done";
    blocks.push({ kind: "line", text: `${at + 1}. ${stepText(step).act}` }, { kind: "quiet", text: when });
    for (const mark of marksOfStep) blocks.push(...(await told(mark)));
  }
  async function told(mark: Mark): Promise<ReportBlock[]> {
    if (mark.kind === "note" || mark.kind === "failed")
      return [{ kind: "quiet", text: `${zonedTimeText(mark.at)}, ${mark.personName}: ${mark.text ?? ""}` }];
    const photo = mark.kind === "photo" ? await photoOf(context, rowId(params.id), mark.id) : null;
    return photo ? [{ kind: "picture", ...photo }] : [];
  }
  const title = `Call-out ${detail.computer.row.tag}`;
  const pdf = await reportPdf(title, blocks);
  return new Response(pdf as Uint8Array<ArrayBuffer>, {
    headers: {
      "content-type": "application/pdf",
      "content-disposition": `inline; filename="call-out-${detail.row.id}.pdf"`,
    },
  });
});

function head({ row, computer }: CalloutDetail): ReportBlock[] {
  const { chosen, outcome } = row;
  const about = [computer.row.name, computer.siteName, computer.row.make, computer.row.model]
    .filter(Boolean)
    .join(", ");
  const blocks: ReportBlock[] = [
    { kind: "title", text: `Call-out: ${computer.row.tag}` },
    { kind: "line", text: about },
    {
      kind: "line",
      text: `What happened: ${happeningText(row.happening)}${row.since ? `, perhaps since ${dateText(row.since)}` : ""}.`,
    },
    { kind: "line", text: `Opened ${zonedTimeText(row.openedAt)} by ${row.openedBy}.` },
  ];
  if (row.closedAt && outcome) {
    const seconds = (row.closedAt.getTime() - row.openedAt.getTime()) / 1000;
    const took = durationText({ low: seconds, likely: seconds, high: seconds });
    blocks.push({
      kind: "line",
      text: `Handed back ${zonedTimeText(row.closedAt)}, after ${took}: ${cameBackText(outcome.cameBack)}.`,
    });
    if (outcome.lost) blocks.push({ kind: "line", text: `Lost: ${outcome.lost}` });
    if (outcome.failed) blocks.push({ kind: "line", text: `What failed: ${outcome.failed}` });
  } else blocks.push({ kind: "line", text: "Not handed back yet." });
  if (chosen)
    blocks.push(
      { kind: "heading", text: "Route used" },
      {
        kind: "line",
        text: `${chosen.medium}${chosen.release ? `, ${chosen.release}` : ""}: ${calloutOutcomeText(chosen.outcome)}${chosen.image ? `, from ${chosen.image.name}` : ""}. ${lostText(chosen.lost)} Expected: ${durationText(chosen.seconds)}.`,
      },
      { kind: "heading", text: "Steps" },
    );
  return blocks;
}
