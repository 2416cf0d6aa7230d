import type { Metadata } from "next";
import Link from "next/link";
import { trustText } from "@/core/words/bench";
import { listDevices } from "@/server/bench/berths";
import { Size } from "@/ui/size";
import { dateText, plural } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { wearText } from "../device-text";
import { BenchNav } from "../nav";
import { BatchField } from "./batch-field";

export const metadata: Metadata = { title: "Devices" };

const VERDICTS = {
  sound: "tested and sound",
  untested: "never tested",
  retire: "replace soon",
  distrust: "do not use",
};

/** What went through the bench: how often it was written, how fast it was, and whether it is to be relied on. */
export default async function Devices() {
  const devices = await listDevices(await currentContext());
  const failed = devices.filter(({ trust }) => trust.verdict === "distrust").length;
  return (
    <section>
      <BenchNav here="/bench/devices" />
      <h1>Devices</h1>
      <p className="mt-1 text-quiet">
        {devices.length === 0
          ? "No device has been in a berth yet."
          : `${plural(devices.length, "device")} that were ever in a berth${failed > 0 ? `, ${failed.toLocaleString("en-GB")} of them marked “do not use”` : ""}. Devices of one batch tend to fail alike: where one failed, the others are marked.`}
      </p>
      {devices.length > 0 && (
        <table className="mt-3 w-full">
          <thead>
            <tr className="border-line border-b text-left">
              <th scope="col" className="py-1 pr-4">
                Device
              </th>
              <th scope="col" className="pr-4">
                Batch
              </th>
              <th scope="col" className="pr-4">
                It is
              </th>
              <th scope="col">Reliability</th>
            </tr>
          </thead>
          <tbody>
            {devices.map(({ row, trust, berth, medium }) => (
              <tr key={row.id} className="border-line border-b align-top">
                <td className="py-1.5 pr-4">
                  <strong>
                    <Size bytes={row.bytes} />
                  </strong>{" "}
                  {row.model}
                  <span className="block">
                    {row.serial ? <span className="code">{row.serial}</span> : "without a serial"}{" "}
                    <span className="caption">{berth ? `in ${berth}` : "in no berth"}</span>
                  </span>
                </td>
                <td className="pr-4">
                  <BatchField
                    deviceId={row.id}
                    version={row.version}
                    batch={row.batch}
                    name={row.serial ?? row.model}
                  />
                </td>
                <td className="py-1.5 pr-4">
                  {medium ? (
                    <Link prefetch={false} className="code font-bold" href={`/media/${encodeURIComponent(medium)}`}>
                      {medium}
                    </Link>
                  ) : (
                    <span className="text-quiet">no medium</span>
                  )}
                </td>
                <td className="py-1.5">
                  <span className={trust.verdict === "distrust" ? "font-semibold text-plum" : "font-semibold"}>
                    {trust.verdict === "untested" && row.testedAt
                      ? "to be verified, tested last"
                      : VERDICTS[trust.verdict]}
                  </span>
                  {row.testedAt && <span className="caption"> on {dateText(row.testedAt)}</span>}
                  {trust.reasons.map((reason) => (
                    <span key={reason.code} className="block">
                      {trustText(reason)}
                    </span>
                  ))}
                  <span className="block text-quiet">{wearText({ row })}</span>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
