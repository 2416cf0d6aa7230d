import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import type { Verdict } from "@/core/judging/model/schema";
import { BESIDE_MOST } from "@/core/making/pack/pack";
import { WAYS } from "@/core/making/planning/plan";
import { alternativeText, planNoteText, planProblemText, trustText, wayText } from "@/core/words/bench";
import { confirmationText, problemText } from "@/core/words/problems";
import { reasonText } from "@/core/words/reasons";
import { bytesText } from "@/core/words/sizes";
import { listBerths } from "@/server/bench/berths";
import { carriableFiles } from "@/server/bench/carry";
import { type PlanView, planInBerth } from "@/server/bench/plans";
import { freeTagFor } from "@/server/bench/proposals";
import { listReleases } from "@/server/media/releases";
import { ChainLink } from "@/ui/chain";
import { Size } from "@/ui/size";
import { Strip, type StripPart } from "@/ui/strip";
import { plural } from "@/ui/words";
import { currentContext } from "../../../_lib/context";
import { many, one, positive, type SearchParams } from "../../../_lib/params";
import { deviceTitle } from "../../device-text";
import { StartForm } from "./start-form";

export const metadata: Metadata = { title: "Make a medium" };

interface Props {
  params: Promise<{ berth: string }>;
  searchParams: SearchParams;
}

export default async function Prepare({ params, searchParams }: Props) {
  const [context, { berth: id }, query] = await Promise.all([currentContext(), params, searchParams]);
  const [berths, releases] = await Promise.all([listBerths(context), listReleases(context)]);
  const berth = berths.find((each) => each.id === Number(id));
  if (!berth?.device) notFound();
  const { device } = berth;
  const releaseId = positive(query.release);
  const ownTag = one(query.tag)?.trim() || device.medium?.tag;
  const tag = ownTag ?? (releaseId ? await freeTagFor(context, releaseId) : "");
  const isDisc = device.row.kind === "optical";
  const wish = {
    berthId: berth.id,
    releaseId: releaseId ?? 0,
    besideIds: [...new Set(many(query.beside).flatMap((id) => positive(id) ?? []))]
      .filter((id) => id !== releaseId)
      .slice(0, BESIDE_MOST),
    way: WAYS.find((way) => way === one(query.way)) ?? (isDisc ? "disc" : "laid-out"),
    table: one(query.table) === "mbr" ? ("mbr" as const) : ("gpt" as const),
    store: one(query.store) === "1",
    tag,
    files: many(query.file),
  };
  const carriable = await carriableFiles();
  const planned = releaseId && tag ? await planInBerth(context, wish) : null;
  const href = (more: Partial<typeof wish>) => {
    const { way, table, store } = { ...wish, ...more };
    const params = new URLSearchParams({ release: String(releaseId ?? ""), tag, way, table, store: store ? "1" : "" });
    for (const file of wish.files) params.append("file", file);
    for (const id of way === "laid-out" ? wish.besideIds : []) params.append("beside", String(id));
    return `/bench/prepare/${berth.id}?${params}`;
  };
  return (
    <div className="max-w-4xl">
      <h1>Make a medium in {berth.name}</h1>
      <p className="text-quiet">
        <strong>
          <Size bytes={device.row.bytes} both />
        </strong>{" "}
        {deviceTitle(device)} <span className="code">{device.row.serial ?? "without a serial"}</span>
      </p>
      {device.trust.reasons.map((reason) => (
        <p key={reason.code} className="text-plum">
          {trustText(reason)}
        </p>
      ))}
      <form className="mt-4 grid items-end gap-3 sm:grid-cols-[2fr_1fr]" action={`/bench/prepare/${berth.id}`}>
        <label>
          <span className="font-semibold text-[0.9rem]">Release</span>
          <select className="field" name="release" defaultValue={releaseId ?? ""}>
            <option value="">choose one</option>
            {releases.map(({ id: each, kitName, name }) => (
              <option key={each} value={each}>
                {kitName} {name}
              </option>
            ))}
          </select>
        </label>
        <label>
          <span className="font-semibold text-[0.9rem]">The medium's tag</span>
          <input className="field code" name="tag" defaultValue={tag} autoComplete="off" />
        </label>
        <label>
          <span className="font-semibold text-[0.9rem]">Write as</span>
          <select className="field" name="way" defaultValue={wish.way}>
            {WAYS.filter((way) => (way === "disc") === isDisc).map((way) => (
              <option key={way} value={way}>
                {wayText(way)}
              </option>
            ))}
          </select>
        </label>
        <div className="flex items-end gap-3">
          <label className="flex-1">
            <span className="font-semibold text-[0.9rem]">Partition table</span>
            <select className="field" name="table" defaultValue={wish.table}>
              <option value="gpt">GPT</option>
              <option value="mbr">MBR</option>
            </select>
          </label>
          <label className="flex min-h-[2.4rem] items-center gap-2">
            <input
              type="checkbox"
              name="store"
              value="1"
              defaultChecked={wish.store}
              className="size-[18px] accent-[var(--rope)]"
            />
            Store in the rest
          </label>
        </div>
        {!isDisc && (
          <fieldset className="sm:col-span-2">
            <legend className="font-semibold text-[0.9rem]">
              More releases (one partition each) <span className="caption">(only with “Partition and copy files”)</span>
            </legend>
            <div className="grid gap-3 sm:grid-cols-2">
              {[...wish.besideIds, null].slice(0, BESIDE_MOST).map((id, nth) => (
                <select
                  key={id ?? "none"}
                  className="field"
                  name="beside"
                  aria-label={nth === 0 ? "A second release" : "A third release"}
                  defaultValue={id ?? ""}
                >
                  <option value="">none</option>
                  {releases.map(({ id: each, kitName, name }) => (
                    <option key={each} value={each}>
                      {kitName} {name}
                    </option>
                  ))}
                </select>
              ))}
            </div>
          </fieldset>
        )}
        {carriable.length > 0 && (
          <fieldset className="sm:col-span-2">
            <legend className="font-semibold text-[0.9rem]">Extra files</legend>
            <div className="flex flex-wrap gap-x-5">
              {carriable.map(({ name, bytes }) => (
                <label key={name} className="flex min-h-[2rem] items-center gap-2">
                  <input
                    type="checkbox"
                    name="file"
                    value={name}
                    defaultChecked={wish.files.includes(name)}
                    className="size-[18px] accent-[var(--rope)]"
                  />
                  {name} <span className="caption">{bytesText(bytes)}</span>
                </label>
              ))}
            </div>
          </fieldset>
        )}
        <div className="sm:col-span-2">
          <button type="submit" className="act-main">
            Preview plan
          </button>
        </div>
      </form>
      {planned && !planned.ok && (
        <p role="alert" className="mt-4 border-plum border-l-4 bg-plum-soft px-3 py-2">
          {problemText(planned.problem)}
        </p>
      )}
      {planned?.ok && !planned.value.plan.ok && (
        <section className="mt-5 border-line border-y py-3">
          <h2>Not possible</h2>
          <ul className="mt-1 list-disc pl-5">
            {planned.value.plan.problems.map((problem) => (
              <li key={JSON.stringify(problem)}>{planProblemText(problem)}</li>
            ))}
          </ul>
          {planned.value.plan.alternatives.length > 0 ? (
            <>
              <p className="mt-2 font-semibold">Works on this device</p>
              <ul className="mt-1 list-disc pl-5">
                {planned.value.plan.alternatives.map((each) => (
                  <li key={each.way}>
                    <Link prefetch={false} className="link" href={href(each)}>
                      {alternativeText(each)}
                    </Link>
                  </li>
                ))}
              </ul>
            </>
          ) : (
            !planned.value.plan.problems.some(({ code }) => code === "nothing-starts-it") && (
              <p className="mt-2">Nothing else works on this device. Use another one.</p>
            )
          )}
        </section>
      )}
      {planned?.ok && planned.value.plan.ok && (
        <>
          <Plan
            view={planned.value}
            plan={planned.value.plan}
            offerStore={planned.value.withStore && href({ way: planned.value.withStore, store: true })}
          />
          <StartForm
            wish={wish}
            fingerprint={planned.value.look.fingerprint}
            how={`type ${confirmationText({ serial: device.row.serial, tag: device.medium?.tag ?? null, berth: berth.name })}.`}
            loss={device.loss}
            isStore={device.row.isStore}
            isHeld={berth.jobId}
            content={device.medium?.tag ?? null}
          />
        </>
      )}
    </div>
  );
}

const ROLES = { "bios-start": "BIOS start", start: "Start", load: "Start", store: "Store" };

function Plan({
  view,
  plan,
  offerStore,
}: {
  view: PlanView;
  plan: Extract<PlanView["plan"], { ok: true }>;
  offerStore: string | null;
}) {
  const { device, prediction, release, beside, carry } = view;
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
    <section className="mt-5">
      <h2>The plan</h2>
      <div className="mt-2">
        <Strip bytes={device.bytes} parts={isWhole ? [file, ...parts] : parts} label="Device afterwards" />
      </div>
      <p className="mt-2">
        <strong>
          <Size bytes={plan.writtenBytes} both />
        </strong>{" "}
        are written, and read back.
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
      <h2>What {tag} will be</h2>
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
