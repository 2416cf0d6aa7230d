"use client";

import { useEffect, useState } from "react";
import { useReader } from "@/app/_reading/use-reader";
import { visible } from "@/core/words/visible";
import { DropField } from "@/ui/drop-field";
import { sendPacked } from "@/ui/send-packed";
import { InspectionView } from "../../../_reading/inspection-view";
import { ReleaseForm, type ReleaseFormProps } from "../../release-form";

/** The release's form, with a place to drop its file; what was read before stays until then. */
export function EditRelease({ fileName, ...form }: ReleaseFormProps & { fileName: string | null }) {
  const [file, setFile] = useState<File | null>(null);
  const reader = useReader("inspected");
  const list = useReader("listed");
  const read = reader.state.step === "done" ? reader.state.value : null;
  const startList = list.start;
  useEffect(() => {
    if (file) startList({ kind: "list", file });
  }, [file, startList]);
  const keep = async () => {
    if (!read) return { ok: false as const, problem: "Still reading the file. Save once it is read." };
    const listing = list.state.step === "done" ? list.state.value.listing : null;
    return sendPacked("/api/contents", "POST", { inspection: read.inspection, listing, drivers: read.drivers });
  };
  return (
    <div className="grid gap-8 xl:grid-cols-2">
      <ReleaseForm {...form} {...(file ? { keep } : {})} />
      <section aria-live="polite">
        <DropField
          onFiles={([dropped]) => {
            if (!dropped) return;
            setFile(dropped);
            reader.start({ kind: "inspect", file: dropped, depth: "deep" });
          }}
          disabled={reader.state.step === "running"}
          text="Drop the release's file here. It is read on this computer, not uploaded."
        />
        <p className="mt-2 text-quiet">
          {file === null && (fileName ? `The reading of ${visible(fileName, 80)} stays.` : "Not read yet.")}
          {reader.state.step === "running" && `Reading ${visible(reader.state.at ?? file?.name ?? "", 80)} …`}
        </p>
        {reader.state.step === "failed" && (
          <p role="alert" className="text-plum">
            {reader.state.problem}
          </p>
        )}
        {read && <InspectionView inspection={read.inspection} />}
      </section>
    </div>
  );
}
