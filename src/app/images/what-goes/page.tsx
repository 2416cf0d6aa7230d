import type { Metadata } from "next";
import Link from "next/link";
import { lineagesOf } from "@/core/images/lineage";
import { rehearseRetention } from "@/core/images/retention";
import { keepText } from "@/core/words/images";
import { imagesOfComputers } from "@/server/images/images";
import { getComputer } from "@/server/inventory/computers";
import { Size } from "@/ui/size";
import { plural } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { one, type SearchParams } from "../../_lib/params";
import { ImagesNav } from "../nav";
import { ForgetButton } from "./forget-button";

export const metadata: Metadata = { title: "Retention" };

const PERIODS = [
  { key: "daily", text: "Days", usual: 7 },
  { key: "weekly", text: "Weeks", usual: 4 },
  { key: "monthly", text: "Months", usual: 6 },
  { key: "yearly", text: "Years", usual: 2 },
] as const;
const SHOWN = 100;

/** What a policy would let go, before anything does: a rehearsal. */
export default async function WhatGoes({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const count = (key: string, usual: number) => {
    const value = Number(one(query[key]) ?? usual);
    return Number.isInteger(value) && value >= 0 && value <= 1000 ? value : usual;
  };
  const policy = Object.fromEntries(PERIODS.map(({ key, usual }) => [key, count(key, usual)])) as Record<
    (typeof PERIODS)[number]["key"],
    number
  >;
  const tag = one(query.computer)?.trim() ?? "";
  const detail = tag ? await getComputer(context, tag) : null;
  const images = tag && !detail ? [] : await imagesOfComputers(context, detail ? [detail.row.id] : null);
  const { keep, go, bytesBack } = rehearseRetention(
    images.map(({ point }) => point),
    policy,
  );
  const lineages = lineagesOf(images.map(({ point }) => point));
  const byName = new Map(images.map((image) => [image.point.id, image]));
  return (
    <>
      <ImagesNav here="/images/what-goes" />
      <h1>Retention</h1>
      <p className="max-w-3xl text-quiet">
        The last image stays of each of so many days, weeks, months and years that have one; what those build on stays;
        what somebody said stays; and the last verified one of a computer never goes. Creel deletes nothing: it is told
        what was.
      </p>
      <form className="mt-3 flex flex-wrap items-end gap-3" action="/images/what-goes">
        {PERIODS.map(({ key, text }) => (
          <label key={key}>
            <span className="block font-semibold text-[0.9rem]">{text}</span>
            <input className="field w-20" name={key} type="number" min={0} max={1000} defaultValue={policy[key]} />
          </label>
        ))}
        <label>
          <span className="block font-semibold text-[0.9rem]">Computer</span>
          <input className="field code w-32" name="computer" defaultValue={tag} placeholder="all" autoComplete="off" />
        </label>
        <button type="submit" className="act">
          Preview
        </button>
      </form>
      {tag && !detail && <p className="mt-3 text-plum">No computer has the tag {tag}.</p>}
      <p className="mt-4 text-lg">
        {go.length === 0 ? (
          `Nothing to delete: ${plural(keep.length, "image")} stay${keep.length === 1 ? "s" : ""}.`
        ) : (
          <>
            {plural(go.length, "image")} can be deleted, <Size bytes={bytesBack} /> would be freed;{" "}
            {plural(keep.length, "image")} kept.
          </>
        )}
      </p>
      <div className="mt-3 grid gap-x-10 gap-y-6 xl:grid-cols-2">
        {go.length > 0 && (
          <section>
            <h2>Can be deleted</h2>
            <ul className="mt-1 divide-y divide-line border-line border-y">
              {go.slice(0, SHOWN).map(({ id, storedBytes }) => (
                <li key={id} className="flex justify-between gap-3 py-1">
                  <Link prefetch={false} className="link" href={`/images/${byName.get(id)?.id ?? 0}`}>
                    {id}
                  </Link>
                  <span className="text-quiet">
                    {lineages.get(id)?.state === "unusable" && "cannot be restored as it is; "}
                    {byName.get(id)?.in.join(", ")} {storedBytes !== null && <Size bytes={storedBytes} />}
                  </span>
                </li>
              ))}
            </ul>
            {go.length > SHOWN && <p className="caption">and {go.length - SHOWN} more</p>}
            <ForgetButton ids={go.flatMap(({ id }) => byName.get(id)?.id ?? [])} />
          </section>
        )}
        <section>
          <h2>Kept</h2>
          <ul className="mt-1 divide-y divide-line border-line border-y">
            {keep.slice(0, SHOWN).map(({ id, because }) => (
              <li key={id} className="py-1">
                <Link prefetch={false} className="link" href={`/images/${byName.get(id)?.id ?? 0}`}>
                  {id}
                </Link>{" "}
                <span className="text-quiet">
                  {because.slice(0, 3).map(keepText).join("; ")}
                  {because.length > 3 && ` and ${because.length - 3} more reasons`}
                </span>
              </li>
            ))}
          </ul>
          {keep.length > SHOWN && <p className="caption">and {keep.length - SHOWN} more</p>}
        </section>
      </div>
    </>
  );
}
