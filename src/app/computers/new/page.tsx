import type { Metadata } from "next";
import Link from "next/link";
import { listSites } from "@/server/inventory/sites";
import { currentContext } from "../../_lib/context";
import { ComputerForm } from "../computer-form";
import { ComputersNav } from "../nav";

export const metadata: Metadata = { title: "Add a computer" };

export default async function NewComputer() {
  const sites = await listSites(await currentContext());
  return (
    <>
      <ComputersNav here="/computers" />
      <h1>Add a computer</h1>
      <p className="mt-1 mb-4 max-w-2xl text-quiet">
        Instead of typing sixty facts,{" "}
        <Link prefetch={false} className="link" href="/computers/facts">
          import
        </Link>{" "}
        what the collector or tools on the computer report. What you type here counts as set by hand; later imports keep
        it unless you choose otherwise.
      </p>
      <ComputerForm opened={null} sites={sites.map(({ id, name }) => ({ id, name }))} />
    </>
  );
}
