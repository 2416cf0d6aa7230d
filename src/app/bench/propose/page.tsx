import { permanentRedirect } from "next/navigation";
import { currentContext } from "../../_lib/context";
import { one, type SearchParams } from "../../_lib/params";

/** Where media were suggested before: an address that was kept leads on. */
export default async function Propose({ searchParams }: { searchParams: SearchParams }) {
  await currentContext();
  const { tags, ids } = await searchParams;
  const query = new URLSearchParams({ tags: one(tags) ?? "", ids: one(ids) ?? "" });
  permanentRedirect(`/bench/make?${query}`);
}
