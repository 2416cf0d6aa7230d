import type { Metadata } from "next";
import { CHECK_CODES } from "@/core/images/checks";
import { bodyByFacts, disksBeside } from "@/core/images/partitions";
import type { ImageBody } from "@/core/judging/model/parts";
import { bodyOfFound } from "@/server/images/found-images";
import { patternOf } from "@/server/images/image-plans";
import { getScan } from "@/server/images/store-scans";
import { getComputer } from "@/server/inventory/computers";
import { listKits } from "@/server/media/releases";
import { currentContext } from "../../_lib/context";
import { one, positive, type SearchParams } from "../../_lib/params";
import { ImageForm } from "../image-form";
import { ImagesNav } from "../nav";

export const metadata: Metadata = { title: "Register an image" };

const NOTHING_KNOWN: ImageBody = {
  ...{ make: null, model: null, kit: null, kitVersion: null, mode: null, diskBytes: null, sectorBytes: null },
  ...{ partitions: null, encrypted: null, keyPlace: null, kind: "full", parent: null, verified: null, places: [] },
};

export default async function NewImage({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const scanId = positive(query.scan);
  const key = one(query.key);
  const scan = scanId ? await getScan(context, scanId) : null;
  const found = scan?.report?.images.find((image) => image.key === key) ?? null;
  const tag = found?.named?.computer ?? one(query.computer) ?? "";
  const [detail, kits] = await Promise.all([tag ? getComputer(context, tag) : null, listKits(context)]);
  const pattern = await patternOf(context, detail?.row.siteId ?? null);
  const now = context.now().toISOString();
  const day = found?.named?.date;
  const takenAt = day && !found?.modified?.startsWith(day) ? `${day}T00:00:00.000Z` : (found?.modified ?? now);
  const given = {
    name: found?.name ?? one(query.name) ?? "",
    computer: detail?.row.tag ?? tag,
    takenAt,
    body: {
      ...NOTHING_KNOWN,
      make: detail?.row.make ?? null,
      model: detail?.row.model ?? null,
      ...(found ? bodyOfFound(found, detail?.facts ?? null) : detail ? bodyByFacts(detail.facts) : {}),
      state: found?.named?.state ?? null,
      checks: (one(query.checks) ?? "").split(",").filter((code) => CHECK_CODES.includes(code)),
    },
  };
  return (
    <>
      <ImagesNav here={null} />
      <h1>Register an image</h1>
      <p className="mb-3 text-quiet">
        {found
          ? "Fields read from it are filled in. Complete the rest."
          : "The computer's current facts are filled in. Add copies afterwards, or scan a store."}
      </p>
      <ImageForm
        given={given}
        beside={detail ? disksBeside(detail.facts) : []}
        opened={null}
        found={found && scanId ? { scanId, key: found.key } : null}
        kits={kits.map(({ name }) => name)}
        pattern={pattern}
      />
    </>
  );
}
