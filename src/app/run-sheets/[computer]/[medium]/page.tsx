import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import QRCode from "qrcode";
import { PrintButton } from "@/app/_parts/print-button";
import { sheetSteps } from "@/core/callout/run-sheet";
import { isDangerous } from "@/core/callout/step";
import { timesOf, totalOf } from "@/core/callout/times";
import { writtenDisk } from "@/core/judging/links/target";
import { LINK_NAMES, type Links } from "@/core/judging/model/schema";
import { phasedChanges } from "@/core/judging/routes/phases";
import { verdictsOf } from "@/core/judging/routes/routes";
import { dayOf } from "@/core/kernel/days";
import { durationText } from "@/core/words/images";
import { changeText, linkTitle, reasonText, verdictText } from "@/core/words/reasons";
import { outcomeText } from "@/core/words/routes";
import { stepText } from "@/core/words/steps";
import { timeFactsOf } from "@/server/callouts/times";
import { routesOf } from "@/server/fleet/routes";
import { getComputer } from "@/server/inventory/computers";
import { asKeyCard, keyCardOf } from "@/server/inventory/key-cards";
import { getMedium } from "@/server/media/media";
import { runSheetInput, sheetMedium, sheetOfRoute } from "@/server/media/run-sheets";
import { ChainHead } from "@/ui/chain";
import { firmwareText, zonedTimeText } from "@/ui/words";
import { currentContext } from "../../../_lib/context";

interface Props {
  params: Promise<{ computer: string; medium: string }>;
}

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  const { computer, medium } = await params;
  return { title: `Run sheet ${decodeURIComponent(computer)} with ${decodeURIComponent(medium)}` };
}

export default async function RunSheet({ params }: Props) {
  const context = await currentContext();
  const { computer: computerTag, medium: mediumTag } = await params;
  const [computer, medium] = await Promise.all([
    getComputer(context, decodeURIComponent(computerTag)),
    getMedium(context, decodeURIComponent(mediumTag)),
  ]);
  if (!computer || !medium) notFound();
  const route = (await routesOf(context, computer)).find((each) => each.medium === medium.row.tag);
  const title = (
    <h1>
      Recover <span className="code">{computer.row.tag}</span> with <span className="code">{medium.row.tag}</span>
    </h1>
  );
  if (!route || (!medium.inspection && medium.row.kind !== "entry")) {
    return (
      <article className="max-w-3xl">
        {title}
        <p className="mt-3">
          {medium.row.retiredAt
            ? `${medium.row.tag} is retired: no longer judged.`
            : `${medium.row.tag} was not read yet, so it has no run sheet.`}{" "}
          <Link prefetch={false} className="link" href={`/media/${encodeURIComponent(medium.row.tag)}`}>
            See {medium.row.tag}
          </Link>
        </p>
      </article>
    );
  }
  const { starts } = route.links;
  const [card, known] = await Promise.all([
    keyCardOf(context, computer.row.make, computer.row.model),
    timeFactsOf(context, { computer, imagesOf: computer.row.id }),
  ]);
  const bus = writtenDisk({ facts: computer.facts }, phasedChanges(route))?.bus ?? null;
  const times = route.outcome && timesOf(route, route.outcome.kind, { ...known, happening: null }, bus);
  const steps = sheetSteps(
    runSheetInput(
      computer,
      sheetMedium(medium.row.tag, medium),
      sheetOfRoute({ tag: computer.row.tag, facts: computer.facts }, route, dayOf(context.now()), times),
      asKeyCard(card),
    ),
  );
  const qr = await QRCode.toString(computer.row.tag, { type: "svg", margin: 0, errorCorrectionLevel: "M" });
  return (
    <article className="max-w-3xl print:max-w-none">
      <div className="print:hidden mb-4 flex flex-wrap items-center gap-3">
        {starts.verdict !== "broken" && <PrintButton />}
        <Link prefetch={false} className="act" href={`/computers/${encodeURIComponent(computer.row.tag)}`}>
          Back to {computer.row.tag}
        </Link>
      </div>
      <header className="flex items-start justify-between gap-6 border-ink border-b-2 pb-2">
        <div>
          {title}
          <p>
            {[
              computer.row.name,
              computer.siteName,
              [computer.row.make, computer.row.model].filter(Boolean).join(" "),
              firmwareText(computer.facts.firmware),
            ]
              .filter(Boolean)
              .join(" · ")}
          </p>
          <p className="caption">Printed {zonedTimeText(context.now())} from the inventory of that time.</p>
        </div>
        <QrCode svg={qr} label={`QR code of ${computer.row.tag}`} />
      </header>
      <div className="mt-3">
        <ChainHead links={verdictsOf(route.links)} />
        <p className="mt-2">
          Outcome: <strong>{outcomeText(route.outcome)}</strong>
          {times && <> · {durationText(totalOf(times))} in all</>}
          {route.release && `, with ${route.release}`}.
        </p>
      </div>
      {starts.verdict !== "holds" && (
        <div className="mt-3 border-2 border-ink px-3 py-2">
          <strong>
            Starts: {verdictText(starts.verdict)}.{starts.verdict === "broken" ? " Do not use this medium. " : " "}
          </strong>
          {starts.reasons.map(reasonText).join(" ")}{" "}
          {starts.changes.map((change) => `${changeText(change)}.`).join(" ")}
        </div>
      )}
      {starts.verdict === "broken" ? null : (
        <ol className="mt-3">
          {steps.map((step, index) => (
            <li
              key={step.code}
              className="grid break-inside-avoid grid-cols-[2.4rem_1.4rem_1fr] items-baseline border-line border-b py-1.5 print:py-[0.75mm]"
            >
              <span className="font-bold text-xl tabular-nums">{index + 1}</span>
              <span aria-hidden="true" className="inline-block size-3.5 translate-y-0.5 border-2 border-ink" />
              <div>
                <p className={isDangerous(step) ? "border-ink border-l-4 pl-2 font-bold" : "font-semibold"}>
                  {stepText(step).act}
                </p>
                {stepText(step).details.map((detail) => (
                  <p key={detail} className="text-[0.9rem]">
                    {detail}
                  </p>
                ))}
              </div>
            </li>
          ))}
        </ol>
      )}
      <NotJudged links={route.links} />
    </article>
  );
}

/** What could not be told before the day; nothing where all was. */
function NotJudged({ links }: { links: Links }) {
  const open = LINK_NAMES.filter((name) => links[name].verdict === "unknown");
  if (open.length === 0) return null;
  return (
    <p className="caption mt-3">
      Unknown:{" "}
      {open.map((name) => `${linkTitle(name)} (${links[name].reasons.slice(0, 1).map(reasonText).join("")})`).join(" ")}
    </p>
  );
}

function QrCode({ svg, label }: { svg: string; label: string }) {
  return (
    <div
      role="img"
      aria-label={label}
      className="w-18 shrink-0 bg-white p-1 [&_svg]:block"
      // biome-ignore lint/security/noDangerouslySetInnerHtml: the markup is made by the QR package from a tag alone
      dangerouslySetInnerHTML={{ __html: svg }}
    />
  );
}
