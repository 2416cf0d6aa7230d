import type { Metadata } from "next";
import { notFound } from "next/navigation";
import { getStore, storeInputOf } from "@/server/images/stores";
import { listSites } from "@/server/inventory/sites";
import { currentContext } from "../../../_lib/context";
import { ImagesNav } from "../../../images/nav";
import { StoreForm } from "../../store-form";

export const metadata: Metadata = { title: "Edit a store" };

export default async function EditStore({ params }: { params: Promise<{ id: string }> }) {
  const [context, { id }] = await Promise.all([currentContext(), params]);
  const [detail, sites] = await Promise.all([getStore(context, Number(id) || 0), listSites(context)]);
  if (!detail) notFound();
  const opened = { ...storeInputOf(detail), id: detail.row.id, version: detail.row.version };
  return (
    <>
      <ImagesNav here={null} />
      <h1 className="mb-3">{detail.row.name}</h1>
      <StoreForm opened={opened} sites={sites.map(({ id: each, name }) => ({ id: each, name }))} />
    </>
  );
}
