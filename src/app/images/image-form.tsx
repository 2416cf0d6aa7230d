"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { useForm } from "react-hook-form";
import { FormProblem } from "@/app/_parts/form-problem";
import { compilePattern, readName } from "@/core/images/names";
import type { ImageBody, ImageDisk } from "@/core/judging/model/parts";
import { parseSize } from "@/core/kernel/parse-size";
import { fieldTexts } from "@/core/words/problems";
import { bytesText } from "@/core/words/sizes";
import type { Problem } from "@/server/problems";
import { Field } from "@/ui/field";
import { useReady } from "@/ui/use-ready";
import { addImageAction, saveImageAction } from "./actions";
import { type ImageToEdit, type ImageValues, partitionsOf, toValues } from "./image-values";
import { PartitionsField } from "./partitions-field";

type PlainField = Exclude<keyof ImageValues, "partitions" | "moreDisks">;

interface ImageFormProps {
  given: ImageToEdit;
  /** Other disks of its computer, which the image may hold too. */
  beside: ImageDisk[];
  opened: { id: number; version: number } | null;
  /** The image in a scan that is registered. */
  found: { scanId: number; key: string } | null;
  kits: string[];
  /** How images of its place are called. */
  pattern: string;
}

/** What a name says by the pattern of its place, or that it does not follow it. */
function nameHint(pattern: string, name: string, computer: string): string | undefined {
  const compiled = compilePattern(pattern);
  if (!compiled.ok || name.trim() === "") return undefined;
  const [read] = readName(compiled.pattern, name.trim(), [computer]);
  if (!read) return `Does not follow ${pattern}: hard to tell apart later.`;
  if (computer && read.computer?.toLowerCase() !== computer.trim().toLowerCase())
    return `The name says ${read.computer}, the field says ${computer}.`;
  return `From the name: ${[read.computer, read.date, read.system, read.version, read.state].filter(Boolean).join(", ")}.`;
}

/** What is recorded of the image stays as it is, whatever the computer has now. */
function disksToOffer(recorded: ImageDisk[], beside: ImageDisk[]): ImageDisk[] {
  const isRecorded = ({ name }: ImageDisk) => recorded.some((disk) => disk.name === name);
  return [...recorded, ...beside.filter((disk) => !isRecorded(disk))];
}

/** An image as it is recorded: of what, when, by what, and what is known of its content. */
export function ImageForm({ given, beside, opened, found, kits, pattern }: ImageFormProps) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<Problem | null>(null);
  const before = toValues(given);
  const { register, handleSubmit, watch, control } = useForm<ImageValues>({ defaultValues: before });
  const offered = disksToOffer(given.body.moreDisks ?? [], beside);
  const fields = fieldTexts(problem);
  const submit = handleSubmit(async (values) => {
    const sizes: Record<string, number | null> = {};
    for (const [name, was] of [
      ["disk", given.body.diskBytes],
      ["used", given.body.usedBytes],
      ["stored", given.body.storedBytes],
    ] as const) {
      // What was not touched keeps its bytes: a size in words is rounded.
      sizes[name] = values[name] === before[name] ? (was ?? null) : parseSize(values[name], "gb");
      if (values[name].trim() !== "" && sizes[name] === null)
        return setProblem({ code: "invalid", fields: { [name]: "A size is such as “5.2 GB” or “500107862016 B”." } });
    }
    const blank = (text: string) => text.trim() || null;
    const body: ImageBody = {
      ...given.body,
      ...{ kind: values.kind, parent: values.kind === "full" ? null : blank(values.parent) },
      ...{
        kit: blank(values.kit),
        kitVersion: blank(values.kitVersion),
        mode: (values.mode || null) as ImageBody["mode"],
      },
      ...{ diskBytes: sizes.disk ?? null, usedBytes: sizes.used ?? null, storedBytes: sizes.stored ?? null },
      sectorBytes: values.sectorBytes === "" ? null : Number(values.sectorBytes),
      compression: blank(values.compression),
      encrypted: values.encrypted === "" ? null : values.encrypted === "yes",
      keyPlace: values.encrypted === "yes" ? blank(values.keyPlace) : null,
      verified: values.verifiedOn === "" ? null : { on: values.verifiedOn, whole: values.verifiedWhole === "yes" },
      state: blank(values.state),
      takenSeconds: Number(values.takenMinutes) > 0 ? Math.round(Number(values.takenMinutes) * 60) : null,
      partitions:
        JSON.stringify(values.partitions) === JSON.stringify(before.partitions)
          ? given.body.partitions
          : partitionsOf(values.partitions),
      moreDisks: offered.filter(({ name }) => values.moreDisks.includes(name)),
    };
    const takenAt = values.takenAt === before.takenAt ? given.takenAt : `${values.takenAt}:00Z`;
    const input = { name: values.name, computer: values.computer, takenAt, body };
    const result = opened
      ? await saveImageAction(opened.id, opened.version, input)
      : await addImageAction(input, found);
    if (result.ok) router.push(`/images/${opened ? opened.id : result.value}`);
    else setProblem(result.problem);
  });
  const text = (name: PlainField, label: string, hint?: string) => (
    <Field label={label} error={fields[name]} hint={hint}>
      {(props) => <input {...props} {...register(name)} autoComplete="off" />}
    </Field>
  );
  const choice = (name: PlainField, label: string, choices: [string, string][]) => (
    <Field label={label} error={fields[name]}>
      {(props) => (
        <select {...props} {...register(name)}>
          {choices.map(([value, said]) => (
            <option key={value} value={value}>
              {said}
            </option>
          ))}
        </select>
      )}
    </Field>
  );
  const unknown: [string, string] = ["", "not recorded"];
  return (
    <form onSubmit={submit} aria-busy={!ready} className="max-w-3xl space-y-3">
      {text("name", "Name", nameHint(pattern, watch("name"), watch("computer")))}
      <div className="grid gap-3 sm:grid-cols-3">
        {text("computer", "Computer", "Tag.")}
        <Field label="Taken (UTC)" error={fields.takenAt}>
          {(props) => <input {...props} {...register("takenAt")} type="datetime-local" />}
        </Field>
        {choice("kind", "Kind", [
          ["full", "full"],
          ["incremental", "incremental"],
          ["differential", "differential"],
        ])}
        {watch("kind") !== "full" && text("parent", "Parent image", "Its name.")}
        <Field label="Kit" error={fields.kit}>
          {(props) => <input {...props} {...register("kit")} list="kits" autoComplete="off" />}
        </Field>
        <datalist id="kits">
          {kits.map((kit) => (
            <option key={kit} value={kit} />
          ))}
        </datalist>
        {text("kitVersion", "Kit version")}
        {choice("mode", "Firmware mode", [unknown, ["uefi", "UEFI"], ["bios", "BIOS"]])}
        {text("disk", "Source disk", "The whole disk, not the partition.")}
        {choice("sectorBytes", "Sectors", [unknown, ["512", "512 bytes"], ["4096", "4,096 bytes"]])}
        {text("used", "In use")}
        {text("stored", "Stored")}
        {text("compression", "Compression")}
        {choice("encrypted", "Encrypted", [unknown, ["no", "no"], ["yes", "yes"]])}
        {watch("encrypted") === "yes" && text("keyPlace", "Key location", "The location, never the key.")}
        <Field label="Verified on" error={fields.verifiedOn}>
          {(props) => <input {...props} {...register("verifiedOn")} type="date" />}
        </Field>
        {choice("verifiedWhole", "Result", [
          ["yes", "whole"],
          ["no", "damaged"],
        ])}
        {text("takenMinutes", "Duration (minutes)")}
      </div>
      <PartitionsField control={control} register={register} />
      {offered.length > 0 && (
        <fieldset>
          <legend className="font-semibold text-[0.9rem]">Other disks in this image</legend>
          <p className="text-quiet">Tick each disk that was saved with the source disk as one image.</p>
          {offered.map(({ name, bytes, serial }) => (
            <label key={name} className="flex items-center gap-1.5">
              <input type="checkbox" value={name} {...register("moreDisks")} />
              <span className="code">{name}</span>
              <span className="text-quiet">
                {[bytes !== null && bytesText(bytes), serial && `serial ${serial}`].filter(Boolean).join(", ")}
              </span>
            </label>
          ))}
        </fieldset>
      )}
      {text("state", "State of the computer")}
      <FormProblem problem={problem} shown={Object.keys(before)} />
      <button type="submit" className="act-main">
        {opened ? "Save image" : "Register image"}
      </button>
    </form>
  );
}
