import type { Metadata } from "next";
import { durationText, imageRangeText, ratioText } from "@/core/words/images";
import { problemText } from "@/core/words/problems";
import { type ImagePlanView, imagePlan } from "@/server/images/image-plans";
import { listStores } from "@/server/images/stores";
import { Size } from "@/ui/size";
import { currentContext } from "../../_lib/context";
import { one, positive, type SearchParams } from "../../_lib/params";
import { ImagesNav } from "../nav";
import { CheckList } from "./check-list";

export const metadata: Metadata = { title: "Prepare an image" };

/** What to see to before an image is taken and after: on the screen and on paper. */
export default async function Take({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const tag = one(query.computer)?.trim() ?? "";
  const storeId = positive(query.store) ?? null;
  const state = one(query.state)?.slice(0, 100) ?? "";
  const [stores, plan] = await Promise.all([
    listStores(context),
    tag ? imagePlan(context, tag, storeId, state || null) : null,
  ]);
  return (
    <div className="max-w-3xl">
      <div className="print:hidden">
        <ImagesNav here={null} />
        <h1>Prepare an image</h1>
        <form className="mt-2 flex flex-wrap items-end gap-3" action="/images/take">
          <label>
            <span className="block font-semibold text-[0.9rem]">Computer</span>
            <input className="field code w-36" name="computer" defaultValue={tag} autoComplete="off" />
          </label>
          <label>
            <span className="block font-semibold text-[0.9rem]">Store</span>
            <select className="field" name="store" defaultValue={storeId ?? ""}>
              <option value="">Choose …</option>
              {stores.map(({ row }) => (
                <option key={row.id} value={row.id}>
                  {row.name}
                </option>
              ))}
            </select>
          </label>
          <label className="grow">
            <span className="block font-semibold text-[0.9rem]">State of the computer</span>
            <input
              className="field"
              name="state"
              defaultValue={state}
              placeholder="with all updates"
              autoComplete="off"
            />
          </label>
          <button type="submit" className="act-main">
            Prepare image
          </button>
        </form>
      </div>
      {plan && !plan.ok && (
        <p role="alert" className="mt-3 text-plum">
          {problemText(plan.problem)}
        </p>
      )}
      {plan?.ok && <Sheet plan={plan.value} />}
    </div>
  );
}

function Sheet({ plan }: { plan: ImagePlanView }) {
  const { computer, store, disk, take, leave, usedBytes, size, seconds, name, checks } = plan;
  return (
    <section className="mt-5">
      <h2 className="text-xl">
        Image of <span className="code">{computer.tag}</span> {computer.name}
      </h2>
      <p className="text-quiet">
        {[computer.site, computer.facts.computer.make, computer.facts.computer.model].filter(Boolean).join(", ")}
        {store && `; onto ${store.row.name}`}
      </p>
      <dl className="mt-3 grid grid-cols-[9rem_1fr] gap-y-1">
        <dt className="text-quiet">Name</dt>
        <dd className="code font-bold">{name}</dd>
        <dt className="text-quiet">Disk</dt>
        <dd>
          {disk ? (
            <>
              <Size bytes={disk.bytes} both /> {disk.model} <span className="code">{disk.serial}</span>
            </>
          ) : (
            "not recorded"
          )}
        </dd>
        <dt className="text-quiet">Include</dt>
        <dd>{take.join(", ") || "what it needs to start is not recorded"}</dd>
        {leave.length > 0 && (
          <>
            <dt className="text-quiet">Leave out</dt>
            <dd>{leave.join(", ")}</dd>
          </>
        )}
        <dt className="text-quiet">Estimated size</dt>
        <dd>
          {size && usedBytes !== null ? (
            <>
              {imageRangeText(size.bytes)}, {ratioText(size.source)}, from <Size bytes={usedBytes} /> in use
            </>
          ) : (
            "unknown: used space not recorded"
          )}
        </dd>
        {seconds && (
          <>
            <dt className="text-quiet">Estimated time</dt>
            <dd>
              {durationText(seconds.take)}, and {durationText(seconds.verify)} to verify; restoring{" "}
              {durationText(seconds.restore)}
            </dd>
          </>
        )}
      </dl>
      <CheckList checks={checks} register={{ computer: computer.tag, name }} />
    </section>
  );
}
