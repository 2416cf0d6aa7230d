import type { Metadata } from "next";
import { currentContext } from "../../_lib/context";
import { one, type SearchParams } from "../../_lib/params";
import { ComputersNav } from "../nav";
import { TakeIn } from "./take-in";

export const metadata: Metadata = { title: "Import facts" };

export default async function Facts({ searchParams }: { searchParams: SearchParams }) {
  await currentContext();
  const to = one((await searchParams).to)?.slice(0, 60) ?? "";
  return (
    <>
      <ComputersNav here="/computers/facts" />
      <h1>{to ? `Import facts of ${to}` : "Import facts of a computer"}</h1>
      <p className="mt-1 max-w-3xl text-quiet">
        Drop the collector's file, or outputs of tools on the computer, several at once:{" "}
        <span className="code">creel-collect.sh</span>, <span className="code">lsblk --json --bytes</span>,{" "}
        <span className="code">sfdisk --json</span> or <span className="code">--dump</span>,{" "}
        <span className="code">dmidecode</span>, <span className="code">lspci -nn -mm -v</span>, files of efivarfs,{" "}
        <span className="code">*.esl</span>, <span className="code">os-release</span>. You see every change before it is
        saved.
      </p>
      <TakeIn key={to} to={to} />
    </>
  );
}
