import type { Metadata } from "next";
import { dayOf } from "@/core/kernel/days";
import { currentContext } from "../../_lib/context";
import { one, type SearchParams } from "../../_lib/params";
import { DrillForm } from "../drill-form";
import { Emulated } from "../emulated";

export const metadata: Metadata = { title: "Record a drill" };

export default async function NewDrill({ searchParams }: { searchParams: SearchParams }) {
  const [context, values] = await Promise.all([currentContext(), searchParams]);
  return (
    <>
      <h1 className="mb-1">Record a drill</h1>
      <p className="mb-4 max-w-xl text-quiet">
        Start the medium on the computer, or one of its model, before it is needed. Without a drill, the chain is
        unproven.
      </p>
      <DrillForm medium={one(values.medium) ?? ""} computer={one(values.computer) ?? ""} today={dayOf(context.now())} />
      <Emulated medium={one(values.medium) ?? ""} computer={one(values.computer) ?? ""} />
    </>
  );
}
