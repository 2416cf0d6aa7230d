"use client";

import { useState } from "react";
import { SiteOptions } from "@/app/_parts/site-options";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useMaking } from "../../_parts/use-making";
import { type CollectLink, makeCollectLinkAction } from "./actions";

const DAYS = [
  { value: 1, text: "one day" },
  { value: 7, text: "7 days" },
  { value: 30, text: "30 days" },
  { value: 365, text: "one year, for weekly reports" },
] as const;

/** Makes a link for collectors, and shows this once what to paste, scan or carry. */
export function CollectForm({
  sites,
  computer,
  siteId,
}: {
  sites: { id: number; name: string }[];
  /** The computer that it is for, by tag. */
  computer: string;
  siteId: number | null;
}) {
  // It stays as it is: the next link is for the same site, as a rule.
  const { made, faults, problem, pending, isReady, submit } = useMaking(
    ({ text, number }) => {
      const days = Number(text("days")) as (typeof DAYS)[number]["value"];
      return makeCollectLinkAction({ siteId: number("site"), computer: text("computer"), days });
    },
    { empties: false },
  );
  return (
    <>
      <form onSubmit={submit} aria-busy={!isReady} className="mt-3 grid max-w-3xl gap-3 sm:grid-cols-3">
        <Field label="Site" hint="Only computers there are updated." error={faults.siteId}>
          {(props) => (
            <select {...props} name="site" defaultValue={siteId ?? ""}>
              <option value="">all sites</option>
              <SiteOptions sites={sites} />
            </select>
          )}
        </Field>
        <Field label="Or one computer" hint="Its tag. Blank: all computers of the site." error={faults.computer}>
          {(props) => (
            <input {...props} className="field code" name="computer" defaultValue={computer} autoComplete="off" />
          )}
        </Field>
        <Field label="Valid for" error={faults.days}>
          {(props) => (
            <select {...props} name="days" defaultValue={7}>
              {DAYS.map(({ value, text }) => (
                <option key={value} value={value}>
                  {text}
                </option>
              ))}
            </select>
          )}
        </Field>
        <div className="sm:col-span-3">
          <button type="submit" className="act-main" disabled={pending}>
            {pending ? "Making the link …" : "Make link"}
          </button>
          <ProblemLine text={problem} />
        </div>
      </form>
      {made && <Link link={made} />}
    </>
  );
}

function Link({ link: { shell, powershell, codes } }: { link: CollectLink }) {
  return (
    <section aria-label="New link" className="mt-4 border-rope border-l-4 pl-4">
      <p className="max-w-3xl">
        Run one of these on each computer, as root or administrator. The link is a secret and is not shown again.
      </p>
      <div className="mt-3 grid gap-6 xl:grid-cols-2">
        <System
          title="Linux, or any live environment"
          once={`curl -fsS ${shell} | sudo sh`}
          weekly={`curl -fsSO ${shell} && sudo sh creel-collect.sh --schedule; rm creel-collect.sh`}
          file={shell}
          name="creel-collect.sh"
          code={codes.shell}
        />
        <System
          title="Windows, in PowerShell"
          once={`irm ${powershell} -OutFile creel-collect.ps1; powershell -ExecutionPolicy Bypass -File creel-collect.ps1; del creel-collect.ps1`}
          weekly={`irm ${powershell} -OutFile creel-collect.ps1; powershell -ExecutionPolicy Bypass -File creel-collect.ps1 -Schedule; del creel-collect.ps1`}
          file={powershell}
          name="creel-collect.ps1"
          code={codes.powershell}
        />
      </div>
    </section>
  );
}

function System({
  title,
  once,
  weekly,
  file,
  name,
  code,
}: {
  title: string;
  once: string;
  weekly: string;
  file: string;
  name: string;
  code: string;
}) {
  return (
    <section aria-label={title} className="min-w-0">
      <h2>{title}</h2>
      <Line label="Once" text={once} />
      <Line label="Each week, while the link is valid" text={weekly} />
      <div className="mt-3 grid grid-cols-[7rem_minmax(0,1fr)] gap-3">
        {/* biome-ignore lint/performance/noImgElement: made here, of no address */}
        <img src={code} alt={`QR code that leads to ${name}`} width={112} height={112} />
        <p className="text-[0.9rem]">
          <a className="link" href={file} download={name}>
            Save {name}
          </a>{" "}
          to carry it on a stick, or scan the code to load it on the computer itself. Without a network it saves its
          facts to a file: drop that under Import facts.
        </p>
      </div>
    </section>
  );
}

function Line({ label, text }: { label: string; text: string }) {
  const [copied, setCopied] = useState(false);
  return (
    <div className="mt-2">
      <div className="flex items-baseline justify-between gap-2">
        <span className="caption">{label}</span>
        <button
          type="button"
          className="link text-[0.85rem]"
          aria-label={`Copy the line: ${label}`}
          onClick={async () => {
            await navigator.clipboard.writeText(text).catch(() => {});
            setCopied(true);
          }}
        >
          {copied ? "Copied" : "Copy line"}
        </button>
      </div>
      <p className="code select-all break-all border border-line bg-sheet px-2 py-1 text-[0.82rem]">{text}</p>
    </div>
  );
}
