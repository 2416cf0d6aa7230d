import type { Metadata } from "next";
import { listSites } from "@/server/inventory/sites";
import { listReleases } from "@/server/media/releases";
import { currentContext } from "../../_lib/context";
import { MediumForm } from "../medium-form";

export const metadata: Metadata = { title: "Register a medium" };

export default async function NewMedium() {
  const context = await currentContext();
  const [sites, releases] = await Promise.all([listSites(context), listReleases(context)]);
  return (
    <>
      <h1 className="mb-3">Register a medium</h1>
      <MediumForm
        opened={null}
        sites={sites.map(({ id, name }) => ({ id, name }))}
        releases={releases.map(({ id, kitName, name }) => ({ id, text: `${kitName} ${name}` }))}
      />
    </>
  );
}
