import type { Metadata } from "next";
import { notFound } from "next/navigation";
import { disksBeside } from "@/core/images/partitions";
import { patternOf } from "@/server/images/image-plans";
import { getImage, imageInputOf } from "@/server/images/images";
import { getComputer } from "@/server/inventory/computers";
import { listKits } from "@/server/media/releases";
import { currentContext } from "../../../_lib/context";
import { ImageForm } from "../../image-form";
import { ImagesNav } from "../../nav";

export const metadata: Metadata = { title: "Edit an image" };

export default async function EditImage({ params }: { params: Promise<{ id: string }> }) {
  const [context, { id }] = await Promise.all([currentContext(), params]);
  const [detail, kits] = await Promise.all([getImage(context, Number(id) || 0), listKits(context)]);
  if (!detail) notFound();
  const { row } = detail;
  const computer = await getComputer(context, detail.computer);
  const pattern = await patternOf(context, computer?.row.siteId ?? null);
  return (
    <>
      <ImagesNav here={null} />
      <h1 className="mb-3">{row.name}</h1>
      <ImageForm
        given={imageInputOf(detail)}
        beside={computer ? disksBeside(computer.facts) : []}
        opened={{ id: row.id, version: row.version }}
        found={null}
        kits={kits.map(({ name }) => name)}
        pattern={pattern}
      />
    </>
  );
}
