import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import { contentsKept } from "@/server/inspections/contents";
import { getMedium } from "@/server/media/media";
import { getRelease } from "@/server/media/releases";
import { currentContext } from "../../../_lib/context";
import { VerifyBench } from "./verify-bench";

interface Props {
  params: Promise<{ tag: string }>;
}

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  return { title: `Verify ${decodeURIComponent((await params).tag)}` };
}

/** Whether a medium still holds what it should, from its image or its device's file. */
export default async function Verify({ params }: Props) {
  const [context, { tag }] = await Promise.all([currentContext(), params]);
  const medium = await getMedium(context, decodeURIComponent(tag));
  if (!medium) notFound();
  const [load, ...others] = medium.loads;
  const release = load ? await getRelease(context, load.releaseId) : null;
  const inspectionId = release?.row.inspectionId ?? null;
  const kept = inspectionId === null ? null : await contentsKept(context, inspectionId);
  return (
    <div className="max-w-3xl">
      <h1>
        Verify <span className="code">{medium.row.tag}</span>
      </h1>
      {others.length > 0 || load?.lacksSystemFiles ? (
        <p className="mt-2">
          {others.length > 0 ? "Carries several releases, one partition each" : "Made without system files"}: insert it
          in a berth and verify it on the{" "}
          <Link prefetch={false} className="link" href="/bench">
            bench
          </Link>
          , which compares what it carries.
        </p>
      ) : load && kept?.manifestAt && inspectionId !== null ? (
        <>
          <p className="text-quiet">
            Compared with the manifest of {load.kitName} {load.releaseName}, here in the browser. The result is recorded
            with today's date. A device in a berth is verified on the bench.
          </p>
          <VerifyBench tag={medium.row.tag} inspectionId={inspectionId} />
        </>
      ) : (
        <p className="mt-2">
          {load ? (
            <>
              No manifest yet of{" "}
              <Link prefetch={false} className="link" href={`/releases/${load.releaseId}?show=whole`}>
                {load.kitName} {load.releaseName}
              </Link>
              .
            </>
          ) : (
            "Nothing to compare with: release not recorded."
          )}
        </p>
      )}
      <p className="mt-4">
        <Link prefetch={false} className="link" href={`/media/${encodeURIComponent(medium.row.tag)}`}>
          Back to {medium.row.tag}
        </Link>
      </p>
    </div>
  );
}
