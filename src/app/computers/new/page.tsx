import type { Metadata } from "next";
import { listSites } from "@/server/services/places";
import { currentContext } from "../../_lib/context";
import { ComputerForm } from "../computer-form";

export const metadata: Metadata = { title: "Add a computer" };

export default async function NewComputer() {
  const sites = await listSites(await currentContext());
  return (
    <>
      <h1 className="mb-3">Add a computer</h1>
      <ComputerForm opened={null} sites={sites.map(({ id, name }) => ({ id, name }))} />
    </>
  );
}
