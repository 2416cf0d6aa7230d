"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { FormProblem } from "@/app/_parts/form-problem";
import { SiteOptions } from "@/app/_parts/site-options";
import { type LinkKind, USUAL_RATES } from "@/core/images/forecast";
import { USUAL_PATTERN } from "@/core/images/names";
import { parseSize } from "@/core/kernel/parse-size";
import { linkText } from "@/core/words/images";
import { fieldTexts } from "@/core/words/problems";
import { bytesText } from "@/core/words/sizes";
import type { StoreInput } from "@/server/images/stores";
import type { Problem } from "@/server/problems";
import { Field } from "@/ui/field";
import { useReady } from "@/ui/use-ready";
import { addStoreAction, saveStoreAction } from "./actions";

interface StoreFormProps {
  opened: (StoreInput & { id: number; version: number }) | null;
  sites: { id: number; name: string }[];
}

interface StoreValues {
  name: string;
  kind: StoreInput["kind"];
  medium: string;
  computer: string;
  diskSerial: string;
  siteId: string;
  isReachKnown: boolean;
  reachedFrom: string[];
  address: string;
  account: string;
  encrypted: string;
  keyPlace: string;
  link: string;
  capacity: string;
  free: string;
  folder: string;
  namePattern: string;
  note: string;
}

const STORE_KIND_TEXTS: Record<StoreInput["kind"], string> = {
  medium: "a partition on a medium",
  disk: "an external disk",
  share: "a share in the network",
  host: "another host",
  block: "a block device of the network (iSCSI)",
  computer: "a disk built into a computer",
};

function toValues(input: StoreInput | null): StoreValues {
  return {
    name: input?.name ?? "",
    kind: input?.kind ?? "share",
    medium: input?.medium ?? "",
    computer: input?.computer ?? "",
    diskSerial: input?.diskSerial ?? "",
    siteId: String(input?.siteId ?? ""),
    isReachKnown: (input?.reachedFrom ?? null) !== null,
    reachedFrom: (input?.reachedFrom ?? []).map(String),
    address: input?.address ?? "",
    account: input?.account ?? "",
    encrypted: input?.encrypted == null ? "" : input.encrypted ? "yes" : "no",
    keyPlace: input?.keyPlace ?? "",
    link: input?.link ?? "",
    capacity: input?.capacityBytes ? bytesText(input.capacityBytes) : "",
    free: input?.freeBytes != null ? bytesText(input.freeBytes) : "",
    folder: input?.folder ?? "",
    namePattern: input?.namePattern ?? "",
    note: input?.note ?? "",
  };
}

/** A store as it is recorded: what it is, where, how it is reached, how much room it has, how its images are called. */
export function StoreForm({ opened, sites }: StoreFormProps) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<Problem | null>(null);
  const { register, handleSubmit, watch } = useForm<StoreValues>({ defaultValues: toValues(opened) });
  const kind = watch("kind");
  const isReached = kind === "share" || kind === "host" || kind === "block";
  const fields = fieldTexts(problem);
  const submit = handleSubmit(async (values) => {
    const sizes = { capacity: parseSize(values.capacity, "gb"), free: parseSize(values.free, "gb") };
    for (const [name, size] of Object.entries(sizes))
      if (values[name as "capacity" | "free"].trim() !== "" && size === null)
        return setProblem({ code: "invalid", fields: { [name]: "A size is such as “500 GB” or “2 TB”." } });
    // What was not touched keeps its bytes: a size in words is rounded.
    const before = toValues(opened);
    const bytesOf = (name: "capacity" | "free", was: number | null | undefined) =>
      values[name] === before[name] ? (was ?? null) : sizes[name];
    const input = {
      name: values.name,
      kind: values.kind,
      medium: values.medium,
      computer: values.computer,
      diskSerial: values.diskSerial,
      siteId: values.siteId === "" ? null : Number(values.siteId),
      reachedFrom: isReached && values.isReachKnown ? values.reachedFrom.map(Number) : null,
      address: values.address,
      account: isReached ? values.account : null,
      encrypted: values.encrypted === "" ? null : values.encrypted === "yes",
      keyPlace: values.encrypted === "yes" ? values.keyPlace : null,
      link: values.link || null,
      capacityBytes: bytesOf("capacity", opened?.capacityBytes),
      freeBytes: bytesOf("free", opened?.freeBytes),
      writeRate: opened?.writeRate ?? null,
      readRate: opened?.readRate ?? null,
      folder: values.folder,
      namePattern: values.namePattern,
      note: values.note,
    };
    const result = opened ? await saveStoreAction(opened.id, opened.version, input) : await addStoreAction(input);
    if (result.ok) router.push(opened ? `/stores/${opened.id}` : `/stores/${result.value}`);
    else setProblem(result.problem);
  });
  return (
    <form onSubmit={submit} aria-busy={!ready} className="max-w-2xl space-y-3">
      <div className="grid gap-3 sm:grid-cols-2">
        <Field label="Name" error={fields.name}>
          {(props) => <input {...props} {...register("name")} autoComplete="off" />}
        </Field>
        <Field label="Kind" error={fields.kind}>
          {(props) => (
            <select {...props} {...register("kind")}>
              {Object.entries(STORE_KIND_TEXTS).map(([value, text]) => (
                <option key={value} value={value}>
                  {text}
                </option>
              ))}
            </select>
          )}
        </Field>
        {kind === "medium" && (
          <Field label="Medium" error={fields.medium} hint="Tag.">
            {(props) => <input {...props} {...register("medium")} autoComplete="off" />}
          </Field>
        )}
        {kind === "computer" && (
          <>
            <Field label="Computer" error={fields.computer} hint="Tag. What fails with it fails with the store.">
              {(props) => <input {...props} {...register("computer")} autoComplete="off" />}
            </Field>
            <Field label="Disk serial" error={fields.diskSerial}>
              {(props) => <input {...props} {...register("diskSerial")} autoComplete="off" />}
            </Field>
          </>
        )}
        <Field label="Site" error={fields.siteId}>
          {(props) => (
            <select {...props} {...register("siteId")}>
              <option value="">not recorded</option>
              <SiteOptions sites={sites} />
            </select>
          )}
        </Field>
        <Field label="Connection" error={fields.link}>
          {(props) => (
            <select {...props} {...register("link")}>
              <option value="">not recorded</option>
              {(Object.keys(USUAL_RATES) as LinkKind[]).map((link) => (
                <option key={link} value={link}>
                  {linkText(link)}
                </option>
              ))}
            </select>
          )}
        </Field>
        <Field label="Capacity" error={fields.capacity ?? fields.capacityBytes}>
          {(props) => <input {...props} {...register("capacity")} placeholder="2 TB" autoComplete="off" />}
        </Field>
        <Field label="Free space" error={fields.free ?? fields.freeBytes}>
          {(props) => <input {...props} {...register("free")} placeholder="800 GB" autoComplete="off" />}
        </Field>
        <Field label="Encrypted" error={fields.encrypted}>
          {(props) => (
            <select {...props} {...register("encrypted")}>
              <option value="">not recorded</option>
              <option value="no">no</option>
              <option value="yes">yes</option>
            </select>
          )}
        </Field>
        {watch("encrypted") === "yes" && (
          <Field label="Key location" error={fields.keyPlace} hint="Never the key itself.">
            {(props) => <input {...props} {...register("keyPlace")} autoComplete="off" />}
          </Field>
        )}
      </div>
      {isReached && (
        <fieldset className="border-line border-t pt-2">
          <legend className="font-semibold text-[0.9rem]">Reached from</legend>
          <label className="flex items-center gap-2">
            <input type="checkbox" className="size-[18px] accent-[var(--rope)]" {...register("isReachKnown")} /> Kind
            known from where
          </label>
          {watch("isReachKnown") && (
            <div className="flex flex-wrap gap-x-4">
              {sites.map(({ id, name }) => (
                <label key={id} className="flex items-center gap-2">
                  <input
                    type="checkbox"
                    className="size-[18px] accent-[var(--rope)]"
                    value={id}
                    {...register("reachedFrom")}
                  />{" "}
                  {name}
                </label>
              ))}
            </div>
          )}
          <div className="mt-2 grid gap-3 sm:grid-cols-2">
            <Field
              label="Address"
              error={fields.address}
              hint={
                kind === "block"
                  ? "Portal and target, such as iscsi://keep:3260/iqn.2026-01.example:images. Without a password."
                  : "Without a password."
              }
            >
              {(props) => <input {...props} {...register("address")} className="field code" autoComplete="off" />}
            </Field>
            <Field label="Account" error={fields.account} hint="Account with read access.">
              {(props) => <input {...props} {...register("account")} className="field code" autoComplete="off" />}
            </Field>
          </div>
        </fieldset>
      )}
      <div className="grid gap-3 sm:grid-cols-2">
        <Field
          label="Folder"
          error={fields.folder}
          hint="Below the server's stores folder. Blank: cannot be scanned from here."
        >
          {(props) => <input {...props} {...register("folder")} className="field code" autoComplete="off" />}
        </Field>
        <Field label="Image name pattern" error={fields.namePattern} hint={`Empty: ${USUAL_PATTERN}`}>
          {(props) => <input {...props} {...register("namePattern")} className="field code" autoComplete="off" />}
        </Field>
      </div>
      <Field label="Note" error={fields.note}>
        {(props) => <textarea {...props} {...register("note")} rows={2} />}
      </Field>
      <FormProblem problem={problem} shown={Object.keys(toValues(opened))} />
      <button type="submit" className="act-main">
        {opened ? "Save store" : "Register image"}
      </button>
    </form>
  );
}
