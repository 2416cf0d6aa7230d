import type { Metadata } from "next";
import { notFound } from "next/navigation";
import { getRelease, listKits, listReleases } from "@/server/media/releases";
import { currentContext } from "../../../_lib/context";
import { KitsNav } from "../../../kits/nav";
import { EditRelease } from "./edit-release";

export const metadata: Metadata = { title: "Edit a release" };

export default async function Edit({ params }: { params: Promise<{ id: string }> }) {
  const context = await currentContext();
  const id = Number((await params).id) || 0;
  const [detail, kits, releases] = await Promise.all([
    getRelease(context, id),
    listKits(context),
    listReleases(context),
  ]);
  if (!detail) notFound();
  const { row } = detail;
  return (
    <>
      <KitsNav here={null} />
      <h1 className="mb-3">
        {detail.kit.name} {row.name}
      </h1>
      <EditRelease
        opened={{
          id,
          version: row.version,
          kitId: row.kitId,
          name: row.name,
          madeOn: row.madeOn,
          note: row.note,
          facts: detail.facts,
          inspectionId: row.inspectionId,
          supersededById: row.supersededById,
        }}
        kits={kits.map(({ id: kitId, name }) => ({ id: kitId, name }))}
        others={releases
          .filter((each) => each.id !== id)
          .map((each) => ({ id: each.id, text: `${each.kitName} ${each.name}` }))}
        fileName={detail.inspection?.file.name ?? null}
      />
    </>
  );
}
