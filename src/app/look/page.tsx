import type { Metadata } from "next";
import { listKits, listReleases } from "@/server/media/releases";
import { currentContext } from "../_lib/context";
import { KitsNav } from "../kits/nav";
import { LookBench } from "./look-bench";

export const metadata: Metadata = { title: "Read a file" };

export default async function Look() {
  const context = await currentContext();
  const [kits, releases] = await Promise.all([listKits(context), listReleases(context)]);
  return (
    <>
      <KitsNav here="/look" />
      <h1 className="mb-3">Read a file</h1>
      <LookBench
        kits={kits.map(({ id, name }) => ({ id, name }))}
        others={releases.map(({ id, kitName, name }) => ({ id, text: `${kitName} ${name}` }))}
        today={context.now().toISOString()}
      />
    </>
  );
}
