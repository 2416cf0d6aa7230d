import Link from "next/link";
import type { Verdict } from "@/core/judging/model/schema";
import { makingTime } from "@/core/making/planning/duration";
import { alternativeText, planNoteText, planProblemText } from "@/core/words/bench";
import { durationText } from "@/core/words/images";
import { problemText } from "@/core/words/problems";
import { reasonText } from "@/core/words/reasons";
import type { PlanView } from "@/server/bench/plans";
import type { Result } from "@/server/problems";
import { ChainLink } from "@/ui/chain";
import { Size } from "@/ui/size";
import { Strip, type StripPart } from "@/ui/strip";
import { dateText, plural } from "@/ui/words";
import { type Making, makeHref } from "./wish";

/** Why it cannot be made so, and what would do. */
export function Refused({ planned, making }: { planned: Result<PlanView>; making: Making }) {
  if (!planned.ok)
    return (
      <p role="alert" className="mt-2 border-plum border-l-4 bg-plum-soft px-3 py-2">
        {problemText(planned.problem)}
      </p>
    );
  const { plan } = planned.value;
  if (plan.ok) return null;
  return (
    <section className="mt-2 pb-2">
      <h3 className="font-semibold">Not possible</h3>
      <ul className="mt-1 list-disc pl-5">
        {plan.problems.map((problem) => (
          <li key={JSON.stringify(problem)}>{planProblemText(problem)}</li>
        ))}
      </ul>
      {plan.alternatives.length > 0 ? (
        <>
          <p className="mt-2 font-semibold">Works on this device</p>
          <ul className="mt-1 list-disc pl-5">
            {plan.alternatives.map((each) => (
              <li key={each.way}>
                <Link prefetch={false} className="link" href={makeHref({ ...making, ...each })}>
                  {alternativeText(each)}
                </Link>
              </li>
            ))}
          </ul>
        </>
      ) : (
        !plan.problems.some(({ code }) => code === "nothing-starts-it") && (
          <p className="mt-2">Nothing else works on this device. Use another one.</p>
        )
      )}
    </section>
  );
}

const ROLES = { "bios-start": "BIOS start", start: "Start", load: "Start", store: "Store" };

type PlanOk = Extract<PlanView["plan"], { ok: true }>;

/** What will be written, how long that takes, and what the medium will be a route for. */
export function Planned({
  view,
  plan,
  making,
  staleOn,
  rates,
}: {
  view: PlanView;
  plan: PlanOk;
  making: Making;
  /** ISO day from which on included system files are older than the policy allows; null: never, or not recorded. */
  staleOn: string | null;
  /** As measured with the device; null where a file is made. */
  rates: { writeRate: number | null; readRate: number | null } | null;
}) {
  const { device, prediction, release, beside, carry } = view;
  const offerStore = view.withStore && makeHref({ ...making, way: view.withStore, store: true });
  const loads = plan.parts.filter(({ role }) => role === "start" || role === "load");
  const titleOf = (part: (typeof loads)[number]) =>
    (beside.length > 0 && [release.text, ...beside][loads.indexOf(part)]) || ROLES[part.role];
  const parts: StripPart[] = plan.parts.map((part) => ({
    key: `${part.role} ${part.startBytes}`,
    start: part.startBytes,
    bytes: part.lengthBytes,
    title: titleOf(part),
    tone: part.role === "store" ? "data" : part.role === "start" || part.role === "load" ? "start" : "other",
  }));
  const isWhole = parts.length === 0 || plan.request.way === "as-it-is-with-store";
  const file: StripPart = {
    key: "file",
    start: 0,
    bytes: Math.min(plan.writtenBytes, device.bytes),
    title: release.text,
    tone: "start",
  };
  return (
    <section aria-label="Plan">
      <div className="mt-2">
        <Strip bytes={device.bytes} parts={isWhole ? [file, ...parts] : parts} label="Device afterwards" />
      </div>
      <p className="mt-2">
        <strong>
          <Size bytes={plan.writtenBytes} both />
        </strong>{" "}
        {rates
          ? `are written, and read back: ${durationText(makingTime(plan.writtenBytes, { kind: device.kind, ...rates }))}.`
          : "are written."}
        {plan.parts.some(({ filesystem }) => filesystem) &&
          ` ${plan.parts
            .filter(({ filesystem }) => filesystem)
            .map((part) => `${titleOf(part)} as ${part.filesystem === "fat32" ? "FAT32" : "exFAT"}`)
            .join(", ")}.`}
      </p>
      {plan.notes.length > 0 && (
        <ul className="mt-1 list-disc pl-5">
          {plan.notes.map((note) => (
            <li key={JSON.stringify(note)}>
              {planNoteText(note)}{" "}
              {note.code === "system-files" && (
                <>
                  {note.isIncluded && staleOn && `They are too old for the policy from ${dateText(staleOn)}. `}
                  <Link prefetch={false} className="link" href={makeHref({ ...making, systemFiles: !note.isIncluded })}>
                    {note.isIncluded ? "Leave them out" : "Include them"}
                  </Link>
                </>
              )}
              {note.code === "room-left" && offerStore && (
                <Link prefetch={false} className="link" href={offerStore}>
                  Make it a store
                </Link>
              )}
            </li>
          ))}
        </ul>
      )}
      {carry.some(({ kind }) => kind === "driver") && (
        <p className="mt-1">
          Drivers that some of its computers need, and that {release.text} lacks, are put into{" "}
          <span className="code">CREEL/drivers</span>:{" "}
          {carry.flatMap((each) => (each.kind === "driver" ? [each.path.split("/").at(-1)] : [])).join(", ")}.
        </p>
      )}
      {prediction && <Predicted prediction={prediction} tag={plan.request.tag} />}
    </section>
  );
}

const VERDICTS: { verdict: Verdict; title: string }[] = [
  { verdict: "holds", title: "Route will hold" },
  { verdict: "holds-after-change", title: "Route after a change" },
  { verdict: "unknown", title: "Unknown" },
  { verdict: "broken", title: "No route" },
];

function Predicted({
  prediction: { counts, items },
  tag,
}: {
  prediction: NonNullable<PlanView["prediction"]>;
  tag: string;
}) {
  return (
    <div className="mt-4">
      <h3 className="font-semibold">What {tag} will be</h3>
      <p className="text-quiet">Before it is on site and drilled.</p>
      <div className="mt-1 divide-y divide-line border-line border-y">
        {VERDICTS.filter(({ verdict }) => counts[verdict] > 0).map(({ verdict, title }) => (
          <details key={verdict}>
            <summary className="grid cursor-pointer grid-cols-[2.4rem_1fr] items-center py-1.5">
              <ChainLink verdict={verdict} />
              <span>
                <strong>{title}</strong> for {plural(counts[verdict], "computer")}
              </span>
            </summary>
            <ul className="pb-2 pl-10">
              {items
                .filter((item) => item.verdict === verdict)
                .map((item) => (
                  <li key={item.tag} className="py-0.5">
                    <Link
                      prefetch={false}
                      className="code font-bold"
                      href={`/computers/${encodeURIComponent(item.tag)}`}
                    >
                      {item.tag}
                    </Link>{" "}
                    {item.name}{" "}
                    {verdict !== "holds" && (
                      <span className="text-quiet">{item.reason && reasonText(item.reason)}</span>
                    )}
                  </li>
                ))}
            </ul>
          </details>
        ))}
      </div>
    </div>
  );
}
