"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { useForm } from "react-hook-form";
import type { WorldChange } from "@/core/fleet/rehearsal";
import { readSignatureFile } from "@/core/formats/signature-file";
import { toBase64 } from "@/core/kernel/base64";
import { problemText } from "@/core/words/problems";
import { listFaultText } from "@/core/words/signature-lists";
import { visible } from "@/core/words/visible";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { plural } from "@/ui/words";
import { addRehearsalAction } from "./actions";

interface Choices {
  sites: string[];
  models: string[];
  releases: string[];
  media: string[];
  systems: string[];
}

interface RehearsalValues {
  kind: WorldChange["kind"];
  to: "on" | "off";
  site: string;
  release: string;
  medium: string;
  model: string;
  gigabytes: string;
  sectorBytes: string;
  system: string;
  from: string;
  version: string;
}

const KINDS: Record<WorldChange["kind"], string> = {
  revoke: "a revocation list (dbx) is put on the computers",
  allow: "a certificate or list (db) is put on the computers",
  "secure-boot": "Secure Boot is switched",
  "retire-release": "a release is withdrawn",
  "update-system": "a system is updated",
  "lose-site": "a site burns down or floods",
  "lose-medium": "a medium is lost",
  "replace-disks": "the disks of a model are replaced",
};

/** Lists out of an update file, a variable or a plain list. */
interface Lists {
  file: string;
  lists: string;
  entries: number;
}

/** Update files have some hundred kilobytes. */
const FILE_MAX_BYTES = 2 << 20;

async function readLists(file: File): Promise<Lists | string> {
  const name = visible(file.name, 80);
  if (file.size > FILE_MAX_BYTES) return `${name} is larger than any signature list: take the file of the update.`;
  const bytes = new Uint8Array(await file.arrayBuffer());
  const told = await readSignatureFile(bytes);
  if (told.fault !== null) return `${name}: ${listFaultText(told.fault)}`;
  if (told.entries.length === 0) return `${name} has no entries.`;
  return { file: name, lists: toBase64(bytes.subarray(told.listsAt)), entries: told.entries.length };
}

export function RehearsalForm({ sites, models, releases, media, systems }: Choices) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const [lists, setLists] = useState<Lists | null>(null);
  const { register, handleSubmit, watch, setError, formState } = useForm<RehearsalValues>({
    defaultValues: {
      kind: "secure-boot",
      to: "on",
      site: "",
      release: releases[0] ?? "",
      medium: media[0] ?? "",
      model: models[0] ?? "",
      gigabytes: "500",
      sectorBytes: "512",
      system: systems[0] ?? "",
      from: "",
      version: "",
    },
  });
  const kind = watch("kind");
  const changeOf = (values: RehearsalValues): WorldChange | null => {
    switch (values.kind) {
      case "revoke":
      case "allow":
        return lists && { kind: values.kind, file: lists.file, lists: lists.lists };
      case "secure-boot":
        return { kind: "secure-boot", to: values.to, site: values.site || null };
      case "retire-release":
        return { kind: "retire-release", release: values.release };
      case "update-system":
        return { kind: "update-system", system: values.system, from: values.from.trim() || null, to: values.version };
      case "lose-site":
        return { kind: "lose-site", site: values.site || (sites[0] ?? "") };
      case "lose-medium":
        return { kind: "lose-medium", medium: values.medium };
      case "replace-disks": {
        const bytes = Math.round(Number(values.gigabytes.replace(",", ".")) * 1e9);
        const sectorBytes = values.sectorBytes === "4096" ? 4096 : 512;
        return bytes > 0 ? { kind: "replace-disks", model: values.model, bytes, sectorBytes } : null;
      }
    }
  };
  const rehearse = handleSubmit(async (values) => {
    setProblem(null);
    const change = changeOf(values);
    if (!change) {
      if (values.kind === "replace-disks")
        setError("gigabytes", { message: "A size is a number of GB, as printed on the disk." }, { shouldFocus: true });
      else setProblem("Choose the list's file first.");
      return;
    }
    const result = await addRehearsalAction({ change });
    if (result.ok) router.push(`/chains/rehearsals/${result.value}`);
    else setProblem(problemText(result.problem));
  });
  const select = (name: "release" | "medium" | "model" | "system" | "site", label: string, values: string[]) => (
    <Field label={label}>
      {(props) => (
        <select {...props} {...register(name)}>
          {values.map((value) => (
            <option key={value} value={value}>
              {value}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
  return (
    <form onSubmit={rehearse} noValidate aria-busy={!ready} className="max-w-2xl space-y-3">
      <ProblemLine text={problem} boxed />
      <Field label="What happens">
        {(props) => (
          <select {...props} {...register("kind")}>
            {(Object.entries(KINDS) as [WorldChange["kind"], string][]).map(([value, text]) => (
              <option key={value} value={value}>
                {text}
              </option>
            ))}
          </select>
        )}
      </Field>
      <div className="grid gap-3 sm:grid-cols-3">
        {(kind === "revoke" || kind === "allow") && (
          <label className="block sm:col-span-3">
            <span className="font-semibold text-[0.9rem]">File: an update, a variable, or a list (*.esl)</span>
            <input
              type="file"
              className="field mt-1"
              onChange={async (event) => {
                const [file] = event.target.files ?? [];
                if (!file) return;
                const found = await readLists(file);
                setProblem(typeof found === "string" ? found : null);
                setLists(typeof found === "string" ? null : found);
              }}
            />
            {lists && (
              <span className="caption">
                {plural(lists.entries, "entry", "entries")} in {lists.file}.
              </span>
            )}
          </label>
        )}
        {kind === "secure-boot" && (
          <>
            <Field label="Switched">
              {(props) => (
                <select {...props} {...register("to")}>
                  <option value="on">on</option>
                  <option value="off">off</option>
                </select>
              )}
            </Field>
            <Field label="Where">
              {(props) => (
                <select {...props} {...register("site")}>
                  <option value="">everywhere</option>
                  {sites.map((site) => (
                    <option key={site} value={site}>
                      {site}
                    </option>
                  ))}
                </select>
              )}
            </Field>
          </>
        )}
        {kind === "retire-release" && select("release", "Release", releases)}
        {kind === "lose-medium" && select("medium", "Medium", media)}
        {kind === "lose-site" && select("site", "Site", sites)}
        {kind === "replace-disks" && (
          <>
            {select("model", "Model", models)}
            <Field label="Size in GB (as sold)" error={formState.errors.gigabytes?.message}>
              {(props) => <input {...props} {...register("gigabytes")} inputMode="decimal" autoComplete="off" />}
            </Field>
            <Field label="Sectors of">
              {(props) => (
                <select {...props} {...register("sectorBytes")}>
                  <option value="512">512 bytes</option>
                  <option value="4096">4,096 bytes</option>
                </select>
              )}
            </Field>
          </>
        )}
        {kind === "update-system" && (
          <>
            {select("system", "System", systems)}
            <Field label="from version" hint="empty: from any">
              {(props) => <input {...props} {...register("from")} autoComplete="off" />}
            </Field>
            <Field label="to version">
              {(props) => <input {...props} {...register("version")} autoComplete="off" />}
            </Field>
          </>
        )}
      </div>
      <button type="submit" className="act-main" disabled={formState.isSubmitting}>
        {formState.isSubmitting ? "Running …" : "Run what-if"}
      </button>
    </form>
  );
}
