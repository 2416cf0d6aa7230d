import type { Metadata } from "next";
import { notFound } from "next/navigation";
import { SiteOptions } from "@/app/_parts/site-options";
import { makingTime } from "@/core/making/planning/duration";
import { planProblemText, trustText } from "@/core/words/bench";
import { durationText } from "@/core/words/images";
import { confirmationText } from "@/core/words/problems";
import { listBerths } from "@/server/bench/berths";
import { planStoreOn } from "@/server/devices/material";
import { listSites } from "@/server/inventory/sites";
import { Size } from "@/ui/size";
import { Strip } from "@/ui/strip";
import { currentContext } from "../../../_lib/context";
import { one, positive, type SearchParams } from "../../../_lib/params";
import { startStoreAction } from "../../actions";
import { deviceTitle } from "../../device-text";
import { StartForm } from "../../make/start-form";

export const metadata: Metadata = { title: "Make a store" };

interface Props {
  params: Promise<{ berth: string }>;
  searchParams: SearchParams;
}

/** A stick or disk as nothing but a store for images. */
export default async function MakeStore({ params, searchParams }: Props) {
  const [context, { berth: id }, query] = await Promise.all([currentContext(), params, searchParams]);
  const [berths, sites] = await Promise.all([listBerths(context), listSites(context)]);
  const berth = berths.find((each) => each.id === Number(id));
  if (!berth?.device) notFound();
  const { device } = berth;
  const { row } = device;
  const name = one(query.name)?.trim() ?? "";
  const siteId = positive(query.site) ?? null;
  const plan = name ? await planStoreOn(row, name, context.now().toISOString()) : null;
  return (
    <div className="max-w-4xl">
      <h1>Make a store in {berth.name}</h1>
      <p className="text-quiet">
        <strong>
          <Size bytes={row.bytes} both />
        </strong>{" "}
        {deviceTitle(device)} <span className="code">{row.serial ?? "without a serial"}</span>. It gets one exFAT
        partition for images; computers do not start from it.
      </p>
      {device.trust.reasons.map((reason) => (
        <p key={reason.code} className="text-plum">
          {trustText(reason)}
        </p>
      ))}
      <form className="mt-4 flex flex-wrap items-end gap-3" action={`/bench/store/${berth.id}`}>
        <label>
          <span className="block font-semibold text-[0.9rem]">Name of the store</span>
          <input className="field w-64" name="name" defaultValue={name} autoComplete="off" maxLength={120} required />
        </label>
        <span>
          <label className="block font-semibold text-[0.9rem]" htmlFor="store-site">
            Kept at
          </label>
          <select id="store-site" className="field w-auto" name="site" defaultValue={siteId ?? ""}>
            <option value="">not recorded</option>
            <SiteOptions sites={sites} />
          </select>
        </span>
        <button type="submit" className="act-main">
          Preview plan
        </button>
      </form>
      {plan && !plan.ok && (
        <ul role="alert" className="mt-4 border-plum border-l-4 bg-plum-soft px-3 py-2">
          {plan.problems.map((problem) => (
            <li key={JSON.stringify(problem)}>{planProblemText(problem)}</li>
          ))}
        </ul>
      )}
      {plan?.ok && (
        <section aria-label="Plan" className="mt-5">
          <Strip
            bytes={row.bytes}
            parts={plan.parts.map(({ startBytes, lengthBytes }) => ({
              ...{ key: "store", start: startBytes, bytes: lengthBytes, title: name, tone: "data" },
            }))}
            label="Device afterwards"
          />
          <p className="mt-2">
            <strong>
              <Size bytes={plan.writtenBytes} both />
            </strong>{" "}
            are written, and read back: {durationText(makingTime(plan.writtenBytes, row))}.
          </p>
          <StartForm
            action={startStoreAction}
            wish={{ berthId: berth.id, name, siteId }}
            made={name}
            fingerprint={device.look.fingerprint}
            how={`type ${confirmationText({ serial: row.serial, tag: device.medium?.tag ?? null, berth: berth.name })}.`}
            loss={device.loss}
            isStore={row.isStore}
            isHeld={berth.jobId}
            content={device.medium?.tag ?? null}
          />
        </section>
      )}
    </div>
  );
}
