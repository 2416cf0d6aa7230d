import type { Metadata } from "next";
import { listSites } from "@/server/inventory/sites";
import { currentContext } from "../../_lib/context";
import { ImagesNav } from "../../images/nav";
import { StoreForm } from "../store-form";

export const metadata: Metadata = { title: "Register a store" };

export default async function NewStore() {
  const sites = await listSites(await currentContext());
  return (
    <>
      <ImagesNav here={null} />
      <h1 className="mb-3">Register a store</h1>
      <StoreForm opened={null} sites={sites.map(({ id, name }) => ({ id, name }))} />
    </>
  );
}
