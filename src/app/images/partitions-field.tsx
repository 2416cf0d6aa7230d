"use client";

import { Plus, X } from "lucide-react";
import { type Control, type UseFormRegister, useFieldArray } from "react-hook-form";
import { bytesText } from "@/core/words/sizes";
import type { ImageValues } from "./image-values";

/** What a partition can be for, as facts name it; and what people call it. */
const ROLES: [string, string][] = [
  ["", "not recorded"],
  ["esp", "EFI system (esp)"],
  ["bios-boot", "BIOS boot"],
  ["boot", "boot files"],
  ["msr", "reserved (msr)"],
  ["system", "system"],
  ["recovery", "recovery"],
  ["data", "data"],
  ["swap", "swap"],
];

/** The partitions that an image has, each with what it is for. */
export function PartitionsField({
  control,
  register,
}: {
  control: Control<ImageValues>;
  register: UseFormRegister<ImageValues>;
}) {
  const { fields, append, remove } = useFieldArray({ control, name: "partitions" });
  return (
    <fieldset>
      <legend className="font-semibold text-[0.9rem]">Partitions and their roles</legend>
      {fields.length === 0 && <p className="text-quiet">None recorded.</p>}
      <ul className="space-y-1">
        {fields.map((partition, at) => (
          <li
            key={partition.id}
            className="grid grid-cols-[6rem_12rem_8rem_minmax(0,1fr)_auto] items-center gap-x-3 max-sm:grid-cols-[5rem_minmax(0,1fr)_auto]"
          >
            <input
              {...register(`partitions.${at}.name`)}
              className="field code"
              aria-label={`Partition ${at + 1}, name or number`}
              autoComplete="off"
            />
            <select {...register(`partitions.${at}.role`)} className="field" aria-label={`Role of partition ${at + 1}`}>
              {ROLES.map(([value, said]) => (
                <option key={value} value={value}>
                  {said}
                </option>
              ))}
              {ROLES.every(([value]) => value !== partition.role) && (
                <option value={partition.role}>{partition.role}</option>
              )}
            </select>
            <label className="flex items-center gap-1.5">
              <input type="checkbox" {...register(`partitions.${at}.active`)} /> active
            </label>
            <span className="text-quiet max-sm:col-span-2">
              {[partition.filesystem, partition.bytes !== null && bytesText(partition.bytes)]
                .filter(Boolean)
                .join(", ")}
            </span>
            <button type="button" className="act" onClick={() => remove(at)} aria-label={`Remove partition ${at + 1}`}>
              <X size={16} aria-hidden />
            </button>
          </li>
        ))}
      </ul>
      <button
        type="button"
        className="act mt-1"
        onClick={() =>
          append({ name: String(fields.length + 1), role: "", active: false, filesystem: null, bytes: null })
        }
      >
        <Plus size={16} aria-hidden /> Add a partition
      </button>
    </fieldset>
  );
}
