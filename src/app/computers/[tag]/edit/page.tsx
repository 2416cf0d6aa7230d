import type { Metadata } from "next";
import { notFound } from "next/navigation";
import { getComputer, inputOf } from "@/server/inventory/computers";
import { listSites } from "@/server/inventory/sites";
import { currentContext } from "../../../_lib/context";
import { ComputerForm } from "../../computer-form";

export const metadata: Metadata = { title: "Edit a computer" };

export default async function EditComputer({ params }: { params: Promise<{ tag: string }> }) {
  const context = await currentContext();
  const tag = decodeURIComponent((await params).tag);
  const [detail, sites] = await Promise.all([getComputer(context, tag), listSites(context)]);
  if (!detail) notFound();
  const { id, version } = detail.row;
  return (
    <>
      <h1 className="mb-3">
        <span className="code">{tag}</span> {detail.row.name}
      </h1>
      <ComputerForm
        opened={{ ...inputOf(detail), id, version }}
        sites={sites.map((site) => ({ id: site.id, name: site.name }))}
      />
    </>
  );
}
