"use client";

import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useRouter } from "next/navigation";
import { type FormEvent, type ReactNode, useState, useTransition } from "react";
import { parseSize } from "@/core/kernel/parse-size";
import { problemText } from "@/core/words/problems";
import { bytesText } from "@/core/words/sizes";
import type { Result } from "@/server/problems";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { noteChangeAction } from "../../images/actions";
import { copyComputerAction, moveComputerAction, replaceDiskAction, retireComputerAction } from "../actions";

interface ActsProps {
  computer: { id: number; version: number; tag: string; siteId: number | null; retired: boolean };
  disks: { name: string; bytes: number; serial: string | null; bus: string | null }[];
  sites: { id: number; name: string }[];
}

/** What is done to a computer as a whole: each one act, with its own place in the history. */
export function Acts({ computer, disks, sites }: ActsProps) {
  const router = useRouter();
  const { id, version, tag } = computer;
  const siteChoices = [
    { value: "", text: "not recorded" },
    ...sites.map((site) => ({ value: String(site.id), text: site.name })),
  ];
  const siteOf = (value: FormDataEntryValue | null) => (value ? Number(value) : null);
  const text = (value: FormDataEntryValue | null) => String(value ?? "").trim() || null;
  return (
    <Popover className="relative">
      <PopoverButton className="act">Actions</PopoverButton>
      <PopoverPanel className="absolute right-0 z-20 mt-1 max-h-[75vh] w-80 overflow-y-auto border border-line bg-sheet p-4 shadow-sm">
        <Act
          title="Move"
          button="Move computer"
          run={(data) => moveComputerAction(id, version, siteOf(data.get("site")))}
        >
          <Field label="To">
            {(props) => (
              <select {...props} name="site" defaultValue={computer.siteId ?? ""}>
                {siteChoices.map((site) => (
                  <option key={site.value} value={site.value}>
                    {site.text}
                  </option>
                ))}
              </select>
            )}
          </Field>
        </Act>
        {disks.length > 0 && (
          <Act
            title="Replace a disk"
            button="Replace disk"
            run={async (data) => {
              const bytes = parseSize(String(data.get("size") ?? ""), "gb");
              if (!bytes)
                return {
                  ok: false,
                  problem: { code: "invalid", fields: { size: "A size is needed, such as “512 GB” or “2 TB”." } },
                };
              return replaceDiskAction(id, version, {
                index: Number(data.get("index")),
                bytes,
                sectorBytes: data.get("sector") ? Number(data.get("sector")) : null,
                bus: text(data.get("bus")),
                model: text(data.get("model")),
                serial: text(data.get("serial")),
              });
            }}
          >
            <Field label="Disk to replace">
              {(props) => (
                <select {...props} name="index">
                  {disks.map((disk, index) => (
                    // biome-ignore lint/suspicious/noArrayIndexKey: the place is what is chosen
                    <option key={index} value={index}>
                      {disk.name}, {bytesText(disk.bytes)}
                      {disk.serial ? `, serial ${disk.serial}` : ""}
                    </option>
                  ))}
                </select>
              )}
            </Field>
            <Field label="New size" hint="as sold, such as 1 TB">
              {(props) => <input {...props} name="size" autoComplete="off" />}
            </Field>
            <Field label="Serial number">{(props) => <input {...props} name="serial" autoComplete="off" />}</Field>
            <Field label="Disk model">{(props) => <input {...props} name="model" autoComplete="off" />}</Field>
            <Field label="Sector size">
              {(props) => (
                <select {...props} name="sector">
                  <option value="">not recorded</option>
                  <option value="512">512 bytes</option>
                  <option value="4096">4,096 bytes</option>
                </select>
              )}
            </Field>
            <input type="hidden" name="bus" value={disks[0]?.bus ?? ""} />
          </Act>
        )}
        <Act
          title="Add a similar computer"
          button="Add computer"
          run={(data) =>
            copyComputerAction(tag, {
              tag: String(data.get("tag") ?? ""),
              name: text(data.get("name")),
              siteId: siteOf(data.get("site")),
              serial: text(data.get("serial")),
            })
          }
          onDone={(data) => router.push(`/computers/${encodeURIComponent(String(data.get("tag") ?? "").trim())}`)}
        >
          <Field label="New tag">{(props) => <input {...props} name="tag" autoComplete="off" />}</Field>
          <Field label="Name">{(props) => <input {...props} name="name" autoComplete="off" />}</Field>
          <Field label="Serial">{(props) => <input {...props} name="serial" autoComplete="off" />}</Field>
          <input type="hidden" name="site" value={computer.siteId ?? ""} />
        </Act>
        {!computer.retired && (
          <Act
            title="Note a change"
            button="Save change"
            run={(data) => noteChangeAction({ computer: tag, on: data.get("on"), what: data.get("what") })}
            onDone={() => router.push(`/computers/${encodeURIComponent(tag)}?show=history`)}
          >
            <p className="caption">An image is due before a risky change, and another after it.</p>
            <Field label="Change">{(props) => <input {...props} name="what" autoComplete="off" />}</Field>
            <Field label="On">{(props) => <input {...props} name="on" type="date" />}</Field>
          </Act>
        )}
        <Act
          title={computer.retired ? "Return to service" : "Retire"}
          button={computer.retired ? "Return to service" : "Retire computer"}
          run={() => retireComputerAction(id, version, !computer.retired)}
        />
      </PopoverPanel>
    </Popover>
  );
}

function Act({
  title,
  button,
  run,
  onDone,
  children,
}: {
  title: string;
  button: string;
  run: (data: FormData) => Promise<Result<number>>;
  onDone?: (data: FormData) => void;
  children?: ReactNode;
}) {
  const router = useRouter();
  const [problem, setProblem] = useState<string | null>(null);
  const [pending, start] = useTransition();
  const submit = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const data = new FormData(event.currentTarget);
    start(async () => {
      const result = await run(data);
      setProblem(result.ok ? null : problemText(result.problem));
      if (!result.ok) return;
      onDone?.(data);
      router.refresh();
    });
  };
  return (
    <details className="border-line border-b py-1.5 last:border-b-0">
      <summary className="min-h-[26px] cursor-pointer font-semibold">{title}</summary>
      <form onSubmit={submit} className="mt-1 space-y-2 pb-2">
        {children}
        <ProblemLine text={problem} />
        <button type="submit" className="act" disabled={pending}>
          {pending ? "Saving …" : button}
        </button>
      </form>
    </details>
  );
}
