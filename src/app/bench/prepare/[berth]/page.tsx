import { permanentRedirect } from "next/navigation";
import { currentContext } from "../../../_lib/context";
import { many, type SearchParams } from "../../../_lib/params";

interface Props {
  params: Promise<{ berth: string }>;
  searchParams: SearchParams;
}

/** Where media were planned before: an address that was kept leads on. */
export default async function Prepare({ params, searchParams }: Props) {
  const [{ berth }, asked] = await Promise.all([params, searchParams]);
  await currentContext();
  const query = new URLSearchParams(
    Object.entries(asked).flatMap(([name, value]) => many(value).map((each): [string, string] => [name, each])),
  );
  query.set("berth", berth);
  permanentRedirect(`/bench/make?${query}`);
}
