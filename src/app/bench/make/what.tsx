import { BESIDE_MOST } from "@/core/making/pack/pack";
import { WAYS } from "@/core/making/planning/plan";
import { wayText } from "@/core/words/bench";
import { bytesText } from "@/core/words/sizes";
import type { CarriableFile } from "@/server/bench/carry";
import type { listReleases } from "@/server/media/releases";
import { fieldsOf, type Making } from "./wish";

/** A release, how it is written, and what goes beside it, chosen by hand. */
export function What({
  making,
  releases,
  carriable,
  isDisc,
  isOpen,
}: {
  making: Making;
  releases: Awaited<ReturnType<typeof listReleases>>;
  carriable: CarriableFile[];
  /** Whether the berth that is chosen already takes discs; null where none is. */
  isDisc: boolean | null;
  isOpen: boolean;
}) {
  const { tags, ids, isForAny, onto } = making;
  const options = releases.map(({ id, kitName, name }) => (
    <option key={id} value={id}>
      {kitName} {name}
    </option>
  ));
  const form = (
    <form className="mt-2 grid max-w-3xl items-end gap-3 pb-2 sm:grid-cols-2" action="/bench/make">
      {fieldsOf({ tags, ids, isForAny, onto }).map(([name, value]) => (
        <input key={name} type="hidden" name={name} value={value} />
      ))}
      <label>
        <span className="font-semibold text-[0.9rem]">Release</span>
        <select className="field" name="release" defaultValue={making.releaseId ?? ""} required>
          <option value="">choose one</option>
          {options}
        </select>
      </label>
      <label>
        <span className="font-semibold text-[0.9rem]">Write as</span>
        <select className="field" name="way" defaultValue={making.way}>
          {WAYS.filter((way) => isDisc === null || (way === "disc") === isDisc).map((way) => (
            <option key={way} value={way}>
              {wayText(way)}
            </option>
          ))}
        </select>
      </label>
      <fieldset className="sm:col-span-2">
        <legend className="font-semibold text-[0.9rem]">
          With “partition and copy files” <span className="caption">(has no effect otherwise)</span>
        </legend>
        <div className="grid items-center gap-3 sm:grid-cols-2">
          <label className="flex items-center gap-2">
            Partition table
            <select className="field w-auto" name="table" defaultValue={making.table}>
              <option value="gpt">GPT</option>
              <option value="mbr">MBR</option>
            </select>
          </label>
          <label className="flex min-h-[2.4rem] items-center gap-2">
            <input
              type="checkbox"
              name="store"
              value="1"
              defaultChecked={making.store}
              className="size-[18px] accent-[var(--rope)]"
            />
            Store in the rest
          </label>
          <label className="flex items-center gap-2">
            System files
            <select className="field w-auto" name="system" defaultValue={making.systemFiles ? "" : "0"}>
              <option value="">included</option>
              <option value="0">left out</option>
            </select>
          </label>
          {[...making.besideIds, null].slice(0, BESIDE_MOST).map((id, nth) => (
            <select
              key={id ?? "none"}
              className="field"
              name="beside"
              aria-label={nth === 0 ? "A second release" : "A third release"}
              defaultValue={id ?? ""}
            >
              <option value="">{nth === 0 ? "no second release" : "no third release"}</option>
              {options}
            </select>
          ))}
        </div>
      </fieldset>
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
                  defaultChecked={making.files.includes(name)}
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
          Use this release
        </button>
      </div>
    </form>
  );
  if (isOpen) return form;
  return (
    <details className="mt-3">
      <summary className="cursor-pointer font-semibold">Another release, or written another way</summary>
      {form}
    </details>
  );
}
