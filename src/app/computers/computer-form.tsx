"use client";

import { useRouter } from "next/navigation";
import { type ReactNode, useState } from "react";
import { type Control, type FieldPath, useFieldArray, useForm, useWatch } from "react-hook-form";
import { FORMS } from "@/core/computer/facts/schema";
import { archText } from "@/core/words/firmware";
import { problemText } from "@/core/words/problems";
import type { Problem } from "@/server/problems";
import { Field } from "@/ui/field";
import { type Merge, mergeForms } from "@/ui/merge";
import { StaleNotice } from "@/ui/stale-notice";
import { useReady } from "@/ui/use-ready";
import { plural } from "@/ui/words";
import { addComputerAction, computerNowAction, saveComputerAction } from "./actions";
import { type ComputerStart, emptyFacts, type FormValues, fromForm, toForm } from "./form-values";

interface ComputerFormProps {
  /** The computer as opened, or null for a new one. */
  opened: (ComputerStart & { id: number; version: number }) | null;
  sites: { id: number; name: string }[];
}

const ARCHES = ["x64", "ia32", "aa64", "arm", "riscv64"] as const;
const NOT_KNOWN = { value: "", text: "not recorded" };
const choices = (...values: string[]) => [NOT_KNOWN, ...values.map((value) => ({ value, text: value }))];
const FIELD_NAMES: Partial<Record<keyof FormValues, string>> = {
  siteId: "place",
  secureBoot: "Secure Boot",
  legacyMode: "legacy mode",
  usbStart: "start from USB",
  fastBoot: "fast boot",
  arch: "firmware architecture",
  kind: "firmware kind",
  setupPassword: "setup password",
  setupPasswordPlace: "setup password location",
  usbPorts: "USB ports",
  usbC: "USB-C ports",
  management: "management controller",
};
const showValue = (value: FormValues[keyof FormValues]) =>
  typeof value === "string"
    ? value || "not recorded"
    : value
        .map((each) =>
          "gigabytes" in each
            ? `${each.name} ${each.gigabytes} GB`
            : [each.name, each.version].filter(Boolean).join(" "),
        )
        .join(", ");
const nameOf = (field: keyof FormValues) => FIELD_NAMES[field] ?? field;

type WriteField = (field: FieldPath<FormValues>, label: string, hint?: string) => ReactNode;
type PickField = (field: FieldPath<FormValues>, label: string, options: { value: string; text: string }[]) => ReactNode;

const ROLE_CHOICES = [
  { value: "", text: "automatic" },
  { value: "esp", text: "EFI system" },
  { value: "system", text: "system" },
  { value: "data", text: "data" },
  { value: "recovery", text: "recovery" },
  { value: "boot", text: "boot" },
  { value: "swap", text: "swap" },
];
const ENCRYPTIONS = [
  { value: "", text: "none" },
  { value: "bitlocker", text: "BitLocker" },
  { value: "luks", text: "LUKS" },
  { value: "other", text: "another" },
];

/** What is on a disk: an image's size, what it must hold, and whether files can be rescued follow from it. */
function PartitionFields({
  control,
  disk,
  write,
  pick,
}: {
  control: Control<FormValues>;
  disk: number;
  write: WriteField;
  pick: PickField;
}) {
  const partitions = useFieldArray({ control, name: `disks.${disk}.partitions` });
  const rows = useWatch({ control, name: `disks.${disk}.partitions` });
  return (
    <details className="col-span-full" open={partitions.fields.length > 0 && partitions.fields.length < 6}>
      <summary className="link cursor-pointer">
        {partitions.fields.length === 0 ? "Partitions" : plural(partitions.fields.length, "partition")}
      </summary>
      {partitions.fields.map((partition, nth) => {
        const at = `disks.${disk}.partitions.${nth}` as const;
        return (
          <div
            key={partition.id}
            className="mt-2 grid grid-cols-2 items-start gap-2 border-line border-l-4 pl-3 sm:grid-cols-[4rem_6rem_6rem_7rem_1fr_7rem_auto]"
          >
            {write(`${at}.number`, "No.")}
            {write(`${at}.gigabytes`, "Size (GB)")}
            {write(`${at}.usedGigabytes`, "Used (GB)")}
            {write(`${at}.filesystem`, "File system")}
            {pick(`${at}.role`, "Role", ROLE_CHOICES)}
            {pick(`${at}.encryption`, "Encryption", ENCRYPTIONS)}
            <button type="button" className="act mt-6" onClick={() => partitions.remove(nth)}>
              Remove
            </button>
            {rows?.[nth]?.encryption ? (
              <div className="col-span-full">
                {write(`${at}.keyPlace`, "Recovery key location", "never the key itself")}
              </div>
            ) : null}
          </div>
        );
      })}
      <button
        type="button"
        className="act mt-2"
        onClick={() =>
          partitions.append({
            ...{ from: "", number: String(partitions.fields.length + 1), gigabytes: "", usedGigabytes: "" },
            ...{ filesystem: "", role: "", encryption: "", keyPlace: "" },
          })
        }
      >
        Add a partition
      </button>
    </details>
  );
}

export function ComputerForm({ opened, sites }: ComputerFormProps) {
  const router = useRouter();
  const ready = useReady();
  const [base, setBase] = useState<ComputerStart & { version: number }>(
    opened ?? { tag: "", name: null, siteId: null, note: null, facts: emptyFacts(), version: 0 },
  );
  const [target, setTarget] = useState<{ id: number; version: number } | null>(opened);
  const [problem, setProblem] = useState<string | null>(null);
  const [merge, setMerge] = useState<Merge<FormValues> | null>(null);
  const { register, control, handleSubmit, setError, getValues, setValue, watch, formState } = useForm<FormValues>({
    defaultValues: toForm(base),
  });
  const disks = useFieldArray({ control, name: "disks" });
  const systems = useFieldArray({ control, name: "systems" });
  const error = (field: FieldPath<FormValues>) => {
    const [head, index, leaf] = field.split(".");
    if (head === "disks" && leaf === "partitions") {
      const [, , , nth, own] = field.split(".");
      return formState.errors.disks?.[Number(index)]?.partitions?.[Number(nth)]?.[own as "number"]?.message;
    }
    if (head === "disks") return formState.errors.disks?.[Number(index)]?.[leaf as "gigabytes"]?.message;
    if (head === "systems") return formState.errors.systems?.[Number(index)]?.[leaf as "name"]?.message;
    return (formState.errors[field as keyof FormValues] as { message?: string } | undefined)?.message;
  };

  const onStale = async (stale: Extract<Problem, { code: "stale" }>) => {
    const asked = opened && (await computerNowAction(opened.tag));
    const now = asked?.ok ? asked.value : null;
    if (!now) {
      setProblem(problemText(stale));
      return;
    }
    const merged = mergeForms(getValues(), toForm(base), toForm(now));
    setBase(now);
    setTarget((before) => before && { ...before, version: now.version });
    for (const field of merged.taken) setValue(field, merged.values[field]);
    setMerge(merged);
    setProblem(problemText(stale));
  };

  const save = handleSubmit(async (values) => {
    setProblem(null);
    const reading = fromForm(values, base.facts);
    if (!reading.ok) {
      for (const [field, message] of Object.entries(reading.fields))
        setError(field as FieldPath<FormValues>, { message }, { shouldFocus: true });
      return;
    }
    const result = target
      ? await saveComputerAction(target.id, target.version, reading.input)
      : await addComputerAction(reading.input);
    if (result.ok) {
      router.push(`/computers/${encodeURIComponent(reading.input.tag)}`);
      router.refresh();
    } else if (result.problem.code === "stale") await onStale(result.problem);
    else if (result.problem.code === "taken")
      setError("tag", { message: problemText(result.problem) }, { shouldFocus: true });
    else if (result.problem.code === "invalid") {
      for (const [field, message] of Object.entries(result.problem.fields))
        setError(field as FieldPath<FormValues>, { message });
      setProblem(problemText(result.problem));
    } else setProblem(problemText(result.problem));
  });

  const pick = (field: FieldPath<FormValues>, label: string, options: { value: string; text: string }[]) => (
    <Field label={label} error={error(field)}>
      {(props) => (
        <select {...props} {...register(field)}>
          {options.map(({ value, text }) => (
            <option key={value} value={value}>
              {text}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
  const write = (field: FieldPath<FormValues>, label: string, hint?: string) => (
    <Field label={label} error={error(field)} hint={hint}>
      {(props) => <input {...props} {...register(field)} autoComplete="off" />}
    </Field>
  );

  return (
    <form onSubmit={save} noValidate aria-busy={!ready} className="max-w-3xl">
      {problem && (
        <div className="mt-3">
          <StaleNotice text={problem} merge={merge} name={nameOf} show={showValue} />
        </div>
      )}
      <fieldset className="mt-4 grid grid-cols-2 gap-3 sm:grid-cols-3">
        <legend className="mb-1 font-bold">Computer</legend>
        {write("tag", "Tag", "as printed on it")}
        {write("name", "Name")}
        {pick("siteId", "Site", [
          { value: "", text: "not recorded" },
          ...sites.map((site) => ({ value: String(site.id), text: site.name })),
        ])}
        {write("make", "Make")}
        {write("model", "Model")}
        {write("serial", "Serial")}
        {pick("form", "Form factor", choices(...FORMS))}
        {pick("cpuArch", "Processor", [NOT_KNOWN, ...ARCHES.map((arch) => ({ value: arch, text: archText(arch) }))])}
        {write("memoryGiB", "Memory (GiB)")}
      </fieldset>
      <fieldset className="mt-5 grid grid-cols-2 gap-3 sm:grid-cols-3">
        <legend className="mb-1 font-bold">Firmware settings</legend>
        {pick("kind", "Firmware", [NOT_KNOWN, { value: "bios", text: "BIOS" }, { value: "uefi", text: "UEFI" }])}
        {pick("arch", "Firmware architecture", [
          NOT_KNOWN,
          ...ARCHES.map((arch) => ({ value: arch, text: archText(arch) })),
        ])}
        {pick("legacyMode", "Legacy mode", [
          ...choices("on", "off", "absent"),
          { value: "both", text: "both modes offered" },
        ])}
        {pick("secureBoot", "Secure Boot", [
          NOT_KNOWN,
          { value: "on", text: "on" },
          { value: "off", text: "off" },
          { value: "setup", text: "in setup mode" },
          { value: "absent", text: "absent" },
        ])}
        {pick("usbStart", "Start from USB", choices("on", "off"))}
        {pick("fastBoot", "Fast boot", choices("on", "off"))}
        {write("vendor", "Firmware's maker")}
        {write("version", "Firmware's version")}
        {write("setupKey", "Setup key", "only where it differs from its model's key card")}
        {write("startMenuKey", "Boot menu key")}
        {write("saveKey", "Save key")}
        {pick("setupPassword", "Setup password", [
          NOT_KNOWN,
          { value: "none", text: "none" },
          { value: "set", text: "set" },
        ])}
        {watch("setupPassword") === "set" &&
          write("setupPasswordPlace", "Password location", "never the password itself")}
        {write("usbPorts", "USB ports")}
        {write("usbC", "USB-C ports")}
        {pick("optical", "Optical drive", [NOT_KNOWN, { value: "yes", text: "yes" }, { value: "no", text: "none" }])}
        {watch("form") === "server" && write("management", "Management controller", "its address")}
      </fieldset>
      <fieldset className="mt-5">
        <legend className="mb-1 font-bold">Disks</legend>
        {disks.fields.map((disk, index) => (
          <div key={disk.id} className="mb-2 grid grid-cols-[1fr_1fr_1fr_auto] items-start gap-3">
            {write(`disks.${index}.name`, "Name")}
            {write(`disks.${index}.gigabytes`, "Size (GB, as sold)")}
            {write(`disks.${index}.bus`, "Bus")}
            <button type="button" className="act mt-6" onClick={() => disks.remove(index)}>
              Remove
            </button>
            <PartitionFields control={control} disk={index} write={write} pick={pick} />
          </div>
        ))}
        <button
          type="button"
          className="act"
          onClick={() => disks.append({ from: "", name: "", gigabytes: "", bus: "", partitions: [] })}
        >
          Add a disk
        </button>
      </fieldset>
      <fieldset className="mt-5">
        <legend className="mb-1 font-bold">Systems</legend>
        {systems.fields.map((system, index) => (
          <div
            key={system.id}
            className="mb-3 grid grid-cols-2 items-start gap-3 border-line border-b pb-3 sm:grid-cols-4"
          >
            {write(`systems.${index}.name`, "System")}
            {write(`systems.${index}.version`, "Version")}
            {write(`systems.${index}.build`, "Build")}
            {write(`systems.${index}.edition`, "Edition")}
            {write(`systems.${index}.family`, "Family", "windows, linux …")}
            {write(`systems.${index}.arch`, "Architecture", "x64, ia32, aa64 …")}
            {write(`systems.${index}.language`, "Language", "such as en-GB")}
            <button type="button" className="act mt-6 justify-self-start" onClick={() => systems.remove(index)}>
              Remove
            </button>
          </div>
        ))}
        <button
          type="button"
          className="act"
          onClick={() =>
            systems.append({
              from: "",
              name: "",
              family: "",
              version: "",
              build: "",
              edition: "",
              arch: "",
              language: "",
            })
          }
        >
          Add a system
        </button>
      </fieldset>
      <div className="mt-5">
        <Field label="Note" error={error("note")}>
          {(props) => <textarea {...props} rows={3} {...register("note")} />}
        </Field>
      </div>
      <div className="mt-5 flex gap-3">
        <button type="submit" className="act-main" disabled={formState.isSubmitting}>
          {formState.isSubmitting ? "Saving …" : merge ? "Save again" : target ? "Save" : "Add computer"}
        </button>
        <button type="button" className="act" onClick={() => router.back()}>
          Discard changes
        </button>
      </div>
    </form>
  );
}
