"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState } from "react";
import { fieldTexts, problemText } from "@/core/words/problems";
import type { Problem, Result } from "@/server/problems";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { addCopyAction, moveCopyAction, setCopyStateAction } from "./actions";

interface StoreChoice {
  id: number;
  name: string;
}

/** Records a copy of an image by hand. */
export function AddCopy({ imageId, stores }: { imageId: number; stores: StoreChoice[] }) {
  const [isOpen, setOpen] = useState(false);
  const ready = useReady();
  if (!isOpen)
    return (
      <button type="button" className="act mt-2" aria-busy={!ready} onClick={() => setOpen(true)}>
        Add copy
      </button>
    );
  return (
    <PlaceForm
      stores={stores}
      given={{ storeId: stores[0]?.id ?? 0, path: "" }}
      act="Save copy"
      onSave={(place) => addCopyAction(imageId, place)}
      onClose={() => setOpen(false)}
    />
  );
}

/** What people record of one copy: that it was moved, or is missing, or is there again. */
export function CopyActs({
  id,
  name,
  storeId,
  path,
  isMissing,
  stores,
}: {
  id: number;
  /** The store that it is in. */
  name: string;
  storeId: number;
  path: string;
  isMissing: boolean;
  stores: StoreChoice[];
}) {
  const router = useRouter();
  const ready = useReady();
  const [isMoving, setMoving] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const setState = async () => {
    const result = await setCopyStateAction(id, isMissing ? "there" : "missing");
    if (result.ok) router.refresh();
    else setProblem(problemText(result.problem));
  };
  if (isMoving)
    return (
      <PlaceForm
        stores={stores}
        given={{ storeId, path }}
        act="Save new location"
        onSave={(place) => moveCopyAction(id, place)}
        onClose={() => setMoving(false)}
      />
    );
  return (
    <span aria-busy={!ready} className="ml-2 inline-flex flex-wrap gap-3">
      <button type="button" className="link" onClick={() => setMoving(true)} aria-label={`Move copy in ${name}`}>
        Move
      </button>
      <button
        type="button"
        className="link"
        onClick={setState}
        aria-label={`${isMissing ? "Mark as present" : "Mark as missing"}: copy in ${name}`}
      >
        {isMissing ? "Mark as present" : "Mark as missing"}
      </button>
      <ProblemLine text={problem} />
    </span>
  );
}

function PlaceForm({
  stores,
  given,
  act,
  onSave,
  onClose,
}: {
  stores: StoreChoice[];
  given: { storeId: number; path: string };
  act: string;
  onSave: (place: { storeId: number; path: string }) => Promise<Result<number>>;
  onClose: () => void;
}) {
  const router = useRouter();
  const [problem, setProblem] = useState<Problem | null>(null);
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    const result = await onSave({ storeId: Number(form.get("storeId")), path: String(form.get("path")) });
    if (!result.ok) return setProblem(result.problem);
    onClose();
    router.refresh();
  };
  const fields = fieldTexts(problem);
  const isPlaced = Object.keys(fields).length > 0;
  return (
    <form onSubmit={submit} noValidate className="mt-2 grid gap-3 border-line border-l-2 pl-3 sm:grid-cols-2">
      <Field label="Store" error={fields.storeId}>
        {(props) => (
          <select {...props} name="storeId" defaultValue={given.storeId}>
            {stores.map(({ id, name }) => (
              <option key={id} value={id}>
                {name}
              </option>
            ))}
          </select>
        )}
      </Field>
      <Field label="File or folder" error={fields.path} hint="as the store shows it">
        {(props) => <input {...props} name="path" defaultValue={given.path} autoComplete="off" />}
      </Field>
      <div className="flex gap-3 sm:col-span-2">
        <button type="submit" className="act-main">
          {act}
        </button>
        <button type="button" className="act" onClick={onClose}>
          Cancel
        </button>
      </div>
      <ProblemLine text={problem && !isPlaced ? problemText(problem) : null} />
    </form>
  );
}
