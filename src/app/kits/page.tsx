import type { Metadata } from "next";
import Link from "next/link";
import { listKits, listReleases } from "@/server/media/releases";
import { Station } from "@/ui/station";
import { currentContext } from "../_lib/context";
import { positive, type SearchParams } from "../_lib/params";
import { ReleaseForm } from "../releases/release-form";
import { KitForm } from "./kit-form";
import { KitList } from "./list";
import { KitsNav } from "./nav";

export const metadata: Metadata = { title: "Kits" };

export default async function Kits({ searchParams }: { searchParams: SearchParams }) {
  const context = await currentContext();
  const chosen = positive((await searchParams).kit);
  const [kits, releases] = await Promise.all([listKits(context), listReleases(context)]);
  const kit = kits.find((each) => each.id === chosen) ?? null;
  const others = releases.map(({ id, kitName, name }) => ({ id, text: `${kitName} ${name}` }));
  return (
    <>
      <KitsNav here="/kits" />
      <Station
        chosen={kit !== null}
        list={
          <>
            <h1 className="mb-3">Kits and their releases</h1>
            <KitList context={context} chosen={null} />
          </>
        }
        detail={
          <div className="space-y-8">
            <p className="max-w-xl">
              Start from the release's file: Creel reads its boot paths, signers, systems and drivers.{" "}
              <Link prefetch={false} className="act-main ml-1" href="/look">
                Read a file
              </Link>
            </p>
            {kit && <KitForm opened={kit} />}
            {!kit && <KitForm opened={null} />}
            {kits.length > 0 && (
              <details>
                <summary className="cursor-pointer font-semibold">Add a release without a file</summary>
                <div className="mt-3">
                  <ReleaseForm opened={null} kits={kits} others={others} />
                </div>
              </details>
            )}
          </div>
        }
      />
    </>
  );
}
