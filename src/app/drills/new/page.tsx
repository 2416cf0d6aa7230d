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
        A drill is a test start of a medium on the very computer, or on one of its model, before the day it is needed.
        Without one the chain ends in a hope.
      </p>
      <DrillForm medium={one(values.medium) ?? ""} computer={one(values.computer) ?? ""} today={dayOf(context.now())} />
      <Emulated medium={one(values.medium) ?? ""} computer={one(values.computer) ?? ""} />
    </>
  );
}
