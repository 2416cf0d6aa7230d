import type { Metadata } from "next";
import { notFound } from "next/navigation";
import { listSites } from "@/server/inventory/sites";
import { getMedium, mediumInputOf } from "@/server/media/media";
import { listReleases } from "@/server/media/releases";
import { currentContext } from "../../../_lib/context";
import { MediumForm } from "../../medium-form";

export const metadata: Metadata = { title: "Edit a medium" };

export default async function EditMedium({ params }: { params: Promise<{ tag: string }> }) {
  const context = await currentContext();
  const tag = decodeURIComponent((await params).tag);
  const [detail, sites, releases] = await Promise.all([
    getMedium(context, tag),
    listSites(context),
    listReleases(context),
  ]);
  if (!detail) notFound();
  const { id, version } = detail.row;
  return (
    <>
      <h1 className="mb-3">
        <span className="code">{tag}</span> {detail.row.name}
      </h1>
      <MediumForm
        opened={{ ...mediumInputOf(detail), id, version }}
        sites={sites.map((site) => ({ id: site.id, name: site.name }))}
        releases={releases.map((release) => ({ id: release.id, text: `${release.kitName} ${release.name}` }))}
      />
    </>
  );
}
