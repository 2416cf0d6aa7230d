"use client";

import { useDeferredValue, useMemo, useState } from "react";
import { DriverIndex, type DriverSource, entriesOf } from "@/core/medium/drivers/driver-set";
import { asModalias } from "@/core/medium/drivers/hardware-ids";
import { visible } from "@/core/words/visible";
import { Field } from "@/ui/field";
import { plural } from "@/ui/words";

/** What a medium drives: its lists, and which driver claims a device that is asked for. */
export function DrivesView({
  drivers,
  isReading,
  onCancel,
}: {
  drivers: DriverSource[];
  isReading: boolean;
  onCancel: () => void;
}) {
  const [text, setText] = useState("");
  const asked = useDeferredValue(text);
  const index = useMemo(() => new DriverIndex(drivers), [drivers]);
  const devices = asked
    .split(/[\s,]+/)
    .filter(Boolean)
    .slice(0, 200);
  return (
    <div>
      {isReading && (
        <p className="mb-2">
          Unpacking driver lists …{" "}
          <button type="button" className="act" onClick={onCancel}>
            Cancel
          </button>
        </p>
      )}
      <p>
        {drivers.length === 0
          ? "No driver list found."
          : `${plural(drivers.length, "list")} of drivers with ${entriesOf(drivers).toLocaleString("en-GB")} device patterns.`}
      </p>
      <div className="mt-3 max-w-2xl">
        <Field label="Devices: PCI ids (8086:a282) or what the kernel calls them (pci:v0000…), several at once">
          {(props) => <textarea {...props} rows={2} value={text} onChange={(event) => setText(event.target.value)} />}
        </Field>
      </div>
      {devices.length > 0 && (
        <table className="mt-3 w-full text-[0.92rem]">
          <caption className="sr-only">Devices and their drivers</caption>
          <tbody>
            {devices.map((device) => {
              const claimants = index.claimants(asModalias(device) ?? "");
              return (
                <tr key={device} className="border-line border-b align-top">
                  <td className="code py-1 pr-4 break-all">{visible(device, 120)}</td>
                  <td className="py-1">
                    {claimants.length === 0 ? (
                      <span className="text-plum">no driver for this device</span>
                    ) : (
                      claimants.slice(0, 4).map((each) => (
                        <div key={each.driver + each.source.path}>
                          <strong>{visible(each.driver, 80)}</strong>{" "}
                          <span className="caption code">{visible(each.source.path, 120)}</span>
                        </div>
                      ))
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      <DriverLists drivers={drivers} />
    </div>
  );
}

export function DriverLists({ drivers }: { drivers: DriverSource[] }) {
  if (drivers.length === 0) return null;
  return (
    <details className="mt-4">
      <summary className="cursor-pointer font-semibold">Driver lists</summary>
      <ul className="mt-1 text-[0.92rem]">
        {drivers.slice(0, 100).map((source) => (
          <li key={`${source.kind} ${source.path} ${source.arch}`} className="border-line border-b py-0.5">
            <span className="code">{visible(source.path, 140)}</span>
            <span className="caption">
              {" "}
              {source.kind === "inf"
                ? `.inf file${source.arch ? `, ${source.arch}` : ""}`
                : source.kind === "built-in"
                  ? "built into the kernel"
                  : "kernel modules"}
              , {plural(Object.keys(source.drivers).length, "driver")}
            </span>
          </li>
        ))}
        {drivers.length > 100 && <li className="caption">and {drivers.length - 100} more</li>}
      </ul>
    </details>
  );
}
