import type { Metadata } from "next";
import Link from "next/link";
import type { LinkKind } from "@/core/images/forecast";
import { linkText } from "@/core/words/images";
import { listStores, type StoreItem } from "@/server/images/stores";
import { Size } from "@/ui/size";
import { plural } from "@/ui/words";
import { currentContext } from "../_lib/context";
import { ImagesNav } from "../images/nav";
import { RoomBar } from "./room-bar";
import { STORE_KIND_WORDS } from "./words";

export const metadata: Metadata = { title: "Stores" };

export default async function Stores() {
  const stores = await listStores(await currentContext());
  const largest = Math.max(1, ...stores.map(({ row }) => row.capacityBytes ?? 0));
  return (
    <>
      <ImagesNav here="/stores" />
      <div className="flex items-baseline justify-between gap-4">
        <h1>Stores</h1>
        <Link prefetch={false} className="act" href="/stores/new">
          Register a store
        </Link>
      </div>
      {stores.length === 0 ? (
        <p className="mt-3 max-w-2xl">
          No store recorded. A store keeps images: an external disk, a share, a partition on a medium. Register one,
          then scan it or import a listing.
        </p>
      ) : (
        <ul className="mt-3 divide-y divide-line border-line border-y">
          {stores.map((item) => (
            <li key={item.row.id} className="grid grid-cols-[minmax(0,1fr)_minmax(0,1.2fr)] items-start gap-x-6 py-2">
              <div>
                <Link prefetch={false} className="font-semibold" href={`/stores/${item.row.id}`}>
                  {item.row.name}
                </Link>
                <p className="text-quiet">{aboutText(item)}</p>
              </div>
              <div>
                <RoomBar store={item.row} scaleBytes={largest} />
                <p className="text-quiet">
                  {item.row.freeBytes !== null && (
                    <>
                      <Size bytes={item.row.freeBytes} /> free
                      {item.row.capacityBytes !== null && (
                        <>
                          {" "}
                          of <Size bytes={item.row.capacityBytes} />
                        </>
                      )}
                      {item.row.measuredOn && `, as of ${item.row.measuredOn}`}.{" "}
                    </>
                  )}
                  {plural(item.copies, "copy of an image", "copies of images")}
                  {item.copiedBytes > 0 && (
                    <>
                      , <Size bytes={item.copiedBytes} />
                    </>
                  )}
                  .
                </p>
              </div>
            </li>
          ))}
        </ul>
      )}
    </>
  );
}

function aboutText({ row, medium, computer, site }: StoreItem): string {
  const what = {
    medium: medium ? `on ${medium}` : null,
    computer: computer ? `in ${computer}: lost with it` : null,
    disk: null,
    share: row.address,
    host: row.address,
    block: row.address,
  }[row.kind];
  return [STORE_KIND_WORDS[row.kind], what, site, row.link ? linkText(row.link as LinkKind) : null]
    .filter(Boolean)
    .join(", ");
}
