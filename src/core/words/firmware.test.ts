import type { z } from "zod";
import { type BiosStep, biosStepSchema, startCodeSchema } from "../medium/firmware/bios/view";
import { leniencySchema, type UefiNote, uefiNoteSchema } from "../medium/firmware/uefi/view";
import { biosStepText, fileSystemText, leniencyText, startCodeText, uefiNoteText } from "./firmware";

/** A value that fits a schema: the first of an enumeration, a number, an empty place. */
function sample(schema: z.ZodType): unknown {
  const def = schema.def as {
    type: string;
    entries?: Record<string, unknown>;
    values?: unknown[];
    innerType?: z.ZodType;
  };
  switch (def.type) {
    case "literal":
      return def.values?.[0];
    case "enum":
      return Object.values(def.entries ?? {})[0];
    case "number":
      return 2;
    case "string":
      return "overlaps";
    case "array":
      return [];
    case "nullable":
      return sample(def.innerType as z.ZodType);
    default:
      throw new Error(`no sample for ${def.type}`);
  }
}

function samples<T>(union: { options: readonly z.ZodObject[] }): T[] {
  return union.options.map(
    (option) =>
      Object.fromEntries(Object.entries(option.shape).map(([name, field]) => [name, sample(field as z.ZodType)])) as T,
  );
}

const steps = samples<BiosStep>(biosStepSchema as unknown as { options: z.ZodObject[] });
const notes = samples<UefiNote>(uefiNoteSchema as unknown as { options: z.ZodObject[] });

test("there are steps and notes to say", () => {
  expect(steps.length).toBeGreaterThan(20);
  expect(notes.length).toBeGreaterThan(8);
});

test.each(steps.map((step) => [step.code, step] as const))("the step %s has a sentence", (_, step) => {
  expect(biosStepSchema.parse(step)).toEqual(step);
  expect(biosStepText(step)).toMatch(/^\S+ .*\S$/);
  expect(biosStepText(step)).not.toMatch(/undefined|NaN|\[object/);
});

test.each(notes.map((note) => [note.code, note] as const))("the note %s has a sentence", (_, note) => {
  expect(uefiNoteSchema.parse(note)).toEqual(note);
  expect(uefiNoteText(note)).toMatch(/^the whole medium: \S+ .*\S$/);
  expect(uefiNoteText(note)).not.toMatch(/undefined|NaN|\[object/);
});

test("every boot code and every leniency has words of its own", () => {
  const words = [...startCodeSchema.options.map(startCodeText), ...leniencySchema.options.map(leniencyText)];
  expect(words.length).toBeGreaterThan(15);
  expect(new Set(words).size).toBe(words.length);
  expect(fileSystemText(null)).toBe("no known file system");
});
