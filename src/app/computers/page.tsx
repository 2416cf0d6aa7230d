import type { Metadata } from "next";
import { Station } from "@/ui/station";
import { currentContext } from "../_lib/context";
import { listState, type SearchParams } from "../_lib/params";
import { ComputerList } from "./list";

export const metadata: Metadata = { title: "Computers" };

export default async function Computers({ searchParams }: { searchParams: SearchParams }) {
  const [context, state] = await Promise.all([currentContext(), listState(searchParams)]);
  return (
    <Station
      chosen={false}
      list={<ComputerList context={context} state={state} />}
      detail={
        <div className="max-w-md pt-1 text-quiet">
          <h1 className="text-ink">Computers</h1>
          <p className="mt-2">
            Choose one to see the ways to bring it back, best first. The link beside each says whether a medium in stock
            starts it; the number under it says how many do.
          </p>
        </div>
      }
    />
  );
}
