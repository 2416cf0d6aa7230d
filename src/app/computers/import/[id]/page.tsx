import type { Metadata } from "next";
import { notFound } from "next/navigation";
import { bytesText } from "@/core/words/sizes";
import { getImport } from "@/server/exchange/imports";
import { COLUMN_CHOICES } from "@/server/exchange/options";
import { currentContext } from "../../../_lib/context";
import { ComputersNav } from "../../nav";
import { ImportBench } from "./import-bench";

export const metadata: Metadata = { title: "Import a table" };

export default async function ImportOne({ params }: { params: Promise<{ id: string }> }) {
  const id = Number((await params).id);
  const view = Number.isSafeInteger(id) ? await getImport(await currentContext(), id) : null;
  if (!view) notFound();
  return (
    <>
      <ComputersNav here="/computers/import" />
      <h1>
        Import {view.fileName} <span className="caption">{bytesText(view.bytes)}</span>
      </h1>
      <ImportBench key={view.id} view={view} columns={COLUMN_CHOICES} />
    </>
  );
}
