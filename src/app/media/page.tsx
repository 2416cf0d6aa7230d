import type { Metadata } from "next";
import { Station } from "@/ui/station";
import { currentContext } from "../_lib/context";
import { listState, type SearchParams } from "../_lib/params";
import { MediumList } from "./list";

export const metadata: Metadata = { title: "Media" };

export default async function Media({ searchParams }: { searchParams: SearchParams }) {
  const [context, state] = await Promise.all([currentContext(), listState(searchParams)]);
  return (
    <Station
      chosen={false}
      list={<MediumList context={context} state={state} />}
      detail={
        <div className="max-w-md pt-1 text-quiet">
          <h1 className="text-ink">Media</h1>
          <p className="mt-2">Choose one to see its contents, its boot paths, and the computers it starts.</p>
        </div>
      }
    />
  );
}
