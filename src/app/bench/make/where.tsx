import { SiteOptions } from "@/app/_parts/site-options";
import { leastBytesOf, STICK_BYTES } from "@/core/making/planning/propose";
import { trustText } from "@/core/words/bench";
import { bytesText } from "@/core/words/sizes";
import type { Berth } from "@/server/bench/berths";
import type { listSites } from "@/server/inventory/sites";
import { Size } from "@/ui/size";
import { contentText, deviceTitle } from "../device-text";
import { fieldsOf, type Making } from "./wish";

/** Files for larger sticks would be too large to download. */
const STICKS = STICK_BYTES.filter((bytes) => bytes <= 32e9);

/** Why a device cannot be taken, in a few words; null where it can. */
function obstacleOf({ device, jobId, host }: Berth, isDisc: boolean, needed: number | null): string | null {
  if (!device) return "empty";
  if (host && !host.isThere) return "its bench host is not connected";
  if (device.isUnread) return "being read by its bench host";
  if (jobId !== null) return `job ${jobId} uses it`;
  if (device.row.isStore) return "receives images: never written to as a whole";
  if (device.look.fault) return "not readable";
  if (device.trust.verdict === "distrust") return "failed its test: do not use it";
  if ((device.row.kind === "optical") !== isDisc) return isDisc ? "not a disc" : "a disc";
  if (needed !== null && device.row.bytes < needed) return `too small: ${bytesText(needed)} needed`;
  return null;
}

/** On which device; the medium's tag and name, where it is kept, and what it is for. */
export function Where({
  making,
  berths,
  sites,
  needed,
}: {
  making: Making;
  berths: Berth[];
  sites: Awaited<ReturnType<typeof listSites>>;
  /** Bytes that the device must have; null where that was not reckoned. */
  needed: number | null;
}) {
  const isDisc = making.way === "disc";
  const told = berths
    .filter(({ device, accepts }) => device !== null && (accepts === "optical") === isDisc)
    .map((berth) => ({ berth, obstacle: obstacleOf(berth, isDisc, needed) }));
  const takeable = told.filter(({ obstacle }) => obstacle === null);
  const { onto } = making;
  const isFile = onto !== null && "file" in onto;
  const chosen = onto !== null && "berth" in onto ? onto.berth : null;
  const blank = takeable.find(({ berth: { device } }) => device?.medium === null && device.trust.reasons.length === 0);
  const preset = isFile
    ? null
    : ((takeable.find(({ berth }) => berth.id === chosen) ?? blank ?? takeable[0])?.berth.id ?? null);
  return (
    <form className="mt-1 grid gap-x-8 gap-y-3 pb-2 lg:grid-cols-[minmax(0,3fr)_minmax(0,2fr)]" action="/bench/make">
      {fieldsOf({ ...making, onto: null, tag: "", name: "", note: "", siteId: null }).map(([name, value]) => (
        <input key={`${name} ${value}`} type="hidden" name={name} value={value} />
      ))}
      <fieldset>
        <legend className="font-semibold text-[0.9rem]">Device</legend>
        <ul className="divide-y divide-line border-line border-y">
          {takeable.map(({ berth: { id, name, device } }) => (
            <li key={id}>
              <label className="grid cursor-pointer grid-cols-[1.6rem_6rem_minmax(0,1fr)] gap-x-2 py-1.5">
                <input
                  type="radio"
                  name="berth"
                  value={id}
                  required
                  defaultChecked={id === preset}
                  className="mt-1 size-[18px] accent-[var(--rope)]"
                />
                <span className="font-semibold">{name}</span>
                {device && (
                  <span>
                    <strong>
                      <Size bytes={device.row.bytes} />
                    </strong>{" "}
                    {deviceTitle(device)} <span className="code">{device.row.serial ?? "without a serial"}</span>
                    <span className="block text-quiet">{contentText(device)}</span>
                    {device.loss.onlyRouteOf.length > 0 && (
                      <span className="block text-plum">
                        The only route of {device.loss.onlyRouteOf.slice(0, 6).join(", ")}.
                      </span>
                    )}
                    {device.trust.reasons.map((reason) => (
                      <span key={reason.code} className="block text-plum">
                        {trustText(reason)}
                      </span>
                    ))}
                  </span>
                )}
              </label>
            </li>
          ))}
          <li>
            <label className="grid cursor-pointer grid-cols-[1.6rem_6rem_minmax(0,1fr)] gap-x-2 py-1.5">
              <input
                type="radio"
                name="berth"
                value="file"
                required
                defaultChecked={preset === null}
                className="mt-1 size-[18px] accent-[var(--rope)]"
              />
              <span className="font-semibold">A file</span>
              <span>
                To download now, and to {isDisc ? "burn" : "write to a stick"} later.
                {!isDisc && making.way !== "as-it-is" && (
                  <span className="mt-1 flex items-center gap-2">
                    <select className="field w-auto" name="bytes" aria-label="Size of the file">
                      <option value="">as small as possible</option>
                      {STICKS.map((bytes) => (
                        <option key={bytes} value={leastBytesOf(bytes)}>
                          for a stick of {bytesText(bytes)}
                        </option>
                      ))}
                    </select>
                  </span>
                )}
              </span>
            </label>
          </li>
        </ul>
        {told.length > takeable.length && (
          <details className="mt-1 text-quiet">
            <summary className="cursor-pointer">Devices that cannot be used</summary>
            <ul>
              {told
                .filter(({ obstacle }) => obstacle !== null)
                .map(({ berth: { id, name }, obstacle }) => (
                  <li key={id}>
                    {name}: {obstacle}.
                  </li>
                ))}
            </ul>
          </details>
        )}
      </fieldset>
      <div className="space-y-3">
        <label className="block">
          <span className="font-semibold text-[0.9rem]">Tag of the medium</span>
          <input className="field code" name="tag" defaultValue={making.tag} autoComplete="off" required />
        </label>
        <label className="block">
          <span className="font-semibold text-[0.9rem]">Name</span>
          <input className="field" name="name" defaultValue={making.name} autoComplete="off" maxLength={120} />
        </label>
        <label className="block">
          <span className="font-semibold text-[0.9rem]">Kept at</span>
          <select className="field" name="site" defaultValue={making.siteId ?? ""}>
            <option value="">unchanged</option>
            <SiteOptions sites={sites} />
          </select>
        </label>
        <label className="block">
          <span className="font-semibold text-[0.9rem]">Purpose</span>
          <input className="field" name="note" defaultValue={making.note} autoComplete="off" maxLength={2000} />
        </label>
        <button type="submit" className="act-main">
          Preview plan
        </button>
      </div>
    </form>
  );
}
