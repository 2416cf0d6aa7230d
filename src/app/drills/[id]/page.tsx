import type { Metadata } from "next";
import Link from "next/link";
import { notFound } from "next/navigation";
import { getDrill } from "@/server/bench/emulated-drills";
import { dateText } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { RESULT_WORDS } from "../results";

export const metadata: Metadata = { title: "Drill" };

export default async function Drill({ params }: { params: Promise<{ id: string }> }) {
  const [context, { id }] = await Promise.all([currentContext(), params]);
  const found = await getDrill(context, Number(id) || 0);
  if (!found) notFound();
  const { row, medium, computer, hasPicture } = found;
  return (
    <article className="max-w-4xl">
      <h1>
        <Link prefetch={false} className="code" href={`/media/${encodeURIComponent(medium)}`}>
          {medium}
        </Link>{" "}
        on{" "}
        <Link prefetch={false} className="code" href={`/computers/${encodeURIComponent(computer)}`}>
          {computer}
        </Link>
      </h1>
      <p className="text-quiet">
        {row.isEmulated ? "Run on an emulated computer: a hint, not proof. " : ""}
        {dateText(row.on)}
      </p>
      <p className={`mt-3 text-lg ${row.result === "failed" ? "text-plum" : ""}`}>{RESULT_WORDS[row.result]}.</p>
      {row.note && <p>{row.note}</p>}
      {hasPicture && (
        // biome-ignore lint/performance/noImgElement: a picture from the database, as it was taken
        <img className="mt-4 max-w-full border border-line" src={`/drills/${row.id}/picture`} alt="Final screen" />
      )}
      {row.evidenceText && (
        <details className="mt-4" open={!hasPicture}>
          <summary className="cursor-pointer font-semibold">Console output</summary>
          <pre className="code mt-1 max-h-96 overflow-auto whitespace-pre-wrap border border-line p-2 text-[0.85rem]">
            {row.evidenceText}
          </pre>
        </details>
      )}
    </article>
  );
}
