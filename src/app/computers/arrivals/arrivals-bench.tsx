"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useState, useTransition } from "react";
import { SiteOptions } from "@/app/_parts/site-options";
import { fieldTexts, problemText } from "@/core/words/problems";
import type { Result } from "@/server/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { plural } from "@/ui/words";
import { acceptArrivalsAction, dismissArrivalsAction, joinArrivalAction } from "./actions";

interface FactBeside {
  title: string;
  told: string;
  recorded: string;
  isOther: boolean;
}

/** A computer that waits, as the page shows it. */
export interface WaitingComputer {
  id: number;
  title: string;
  serial: string | null;
  tag: string | null;
  system: string | null;
  siteId: number | null;
  site: string | null;
  told: string;
  doubles: { tag: string; name: string | null; site: string | null; text: string; facts: FactBeside[] }[];
}

type Naming = "number" | "told" | "serial";

/** Computers that wait: chosen singly or many at once, and accepted under new tags; or joined to one that is recorded. */
export function ArrivalsBench({ items, sites }: { items: WaitingComputer[]; sites: { id: number; name: string }[] }) {
  const router = useRouter();
  const ready = useReady();
  const [pending, start] = useTransition();
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const [naming, setNaming] = useState<Naming>("number");
  const [problem, setProblem] = useState<string | null>(null);
  const [done, setDone] = useState<string | null>(null);
  const ids = items.flatMap(({ id }) => (chosen.has(id) ? [id] : []));
  const first = items.find(({ id }) => chosen.has(id));
  const run = <T,>(act: () => Promise<Result<T>>, told: (value: T) => string) =>
    start(async () => {
      const result = await act();
      const texts = result.ok ? [] : Object.values(fieldTexts(result.problem));
      setProblem(result.ok ? null : (texts[0] ?? problemText(result.problem)));
      setDone(result.ok ? told(result.value) : null);
      if (!result.ok) return;
      setChosen(new Set());
      router.refresh();
    });
  const toggle = (id: number, isOn: boolean) => {
    const next = new Set(chosen);
    if (isOn) next.add(id);
    else next.delete(id);
    setChosen(next);
  };
  const accept = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const data = new FormData(event.currentTarget);
    const site = String(data.get("site") ?? "");
    const [prefix, digits] = [String(data.get("prefix") ?? ""), Number(data.get("digits"))];
    const by = naming === "number" ? { by: naming, prefix, digits } : { by: naming };
    run(
      () => acceptArrivalsAction({ ids, siteId: site === "" ? null : Number(site), naming: by }),
      (tags) => (tags.length === 1 ? `${tags[0]} is recorded.` : `${tags[0]} to ${tags.at(-1)} are recorded.`),
    );
  };
  const outcome = (
    <p role="status" className="text-[0.92rem]">
      {done}
    </p>
  );
  // What was done stays told once nobody waits any more.
  if (items.length === 0) return <div aria-busy={!ready}>{outcome}</div>;
  return (
    <div aria-busy={!ready}>
      <label className="mt-3 flex items-center gap-2 text-[0.92rem]">
        <input
          type="checkbox"
          checked={ids.length > 0 && ids.length === items.length}
          onChange={(event) => setChosen(new Set(event.currentTarget.checked ? items.map(({ id }) => id) : []))}
        />
        All on this page
      </label>
      <ul className="mt-1 divide-y divide-line border-line border-y">
        {items.map((item) => (
          <li key={item.id} className="grid grid-cols-[1.6rem_minmax(0,1fr)] gap-x-2 py-2">
            <input
              type="checkbox"
              className="mt-1 size-4 self-start"
              aria-label={`Choose ${item.title}`}
              checked={chosen.has(item.id)}
              onChange={(event) => toggle(item.id, event.currentTarget.checked)}
            />
            <div>
              <p>
                <strong>{item.title}</strong>
                {item.serial && (
                  <>
                    {" "}
                    serial <span className="code">{item.serial}</span>
                  </>
                )}
                {item.tag && (
                  <>
                    . Reported tag: <span className="code">{item.tag}</span>
                  </>
                )}
              </p>
              <p className="text-[0.9rem] text-quiet">
                {[item.system, item.site ? `reported for ${item.site}` : null, item.told].filter(Boolean).join(" · ")}
              </p>
              {item.doubles.length > 0 && (
                <ul className="mt-1 border-slate border-l-4 bg-slate-soft px-3 py-1.5">
                  {item.doubles.map((double) => (
                    <li key={double.tag} className="py-0.5">
                      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
                        <span>
                          May be{" "}
                          <a className="code link" href={`/computers/${encodeURIComponent(double.tag)}`}>
                            {double.tag}
                          </a>
                          {double.name && `, ${double.name}`}
                          {double.site && ` at ${double.site}`}. {double.text}.
                        </span>
                        <button
                          type="button"
                          className="act"
                          disabled={pending}
                          onClick={() =>
                            run(
                              () => joinArrivalAction(item.id, double.tag),
                              (tag) => `Facts of ${tag} imported.`,
                            )
                          }
                        >
                          Merge into {double.tag}
                        </button>
                        <a className="link" href={`/computers/arrivals/${item.id}/${encodeURIComponent(double.tag)}`}>
                          Compare all facts
                        </a>
                      </div>
                      <Beside tag={double.tag} facts={double.facts} />
                    </li>
                  ))}
                </ul>
              )}
            </div>
          </li>
        ))}
      </ul>
      <form onSubmit={accept} className="sticky bottom-0 mt-3 border-line border-t bg-paper py-3">
        <div className="flex flex-wrap items-end gap-x-3 gap-y-2">
          <label className="block text-[0.9rem]">
            Site
            <select
              key={first?.siteId ?? "none"}
              className="field"
              aria-label="Site"
              name="site"
              defaultValue={first?.siteId ?? ""}
            >
              <option value="">not recorded</option>
              <SiteOptions sites={sites} />
            </select>
          </label>
          <label className="block text-[0.9rem]">
            Tags
            <select
              className="field"
              aria-label="Tags"
              value={naming}
              onChange={(event) => setNaming(event.currentTarget.value as Naming)}
            >
              <option value="number">prefix and next number</option>
              <option value="told">reported tag</option>
              <option value="serial">serial</option>
            </select>
          </label>
          {naming === "number" && (
            <>
              <label className="block text-[0.9rem]">
                Prefix
                <input
                  className="field code block w-28"
                  name="prefix"
                  aria-label="Prefix"
                  placeholder="NP-"
                  autoComplete="off"
                  required
                />
              </label>
              <label className="block text-[0.9rem]">
                Digits
                <input
                  className="field block w-16"
                  name="digits"
                  type="number"
                  min={1}
                  max={8}
                  defaultValue={3}
                  required
                />
              </label>
            </>
          )}
          <button type="submit" className="act-main" disabled={pending || ids.length === 0}>
            {ids.length === 0 ? "Accept" : `Accept ${plural(ids.length, "computer")}`}
          </button>
          <button
            type="button"
            className="act"
            disabled={pending || ids.length === 0}
            onClick={() =>
              run(
                () => dismissArrivalsAction(ids),
                (count) => `${plural(count, "computer")} marked as not ours.`,
              )
            }
          >
            Mark as not ours
          </button>
        </div>
        <ProblemLine text={problem} />
        {outcome}
      </form>
    </div>
  );
}

/** What the two tell, side by side. */
function Beside({ tag, facts }: { tag: string; facts: FactBeside[] }) {
  return (
    <table className="mt-1 text-[0.88rem]">
      <thead className="caption text-left">
        <tr>
          <th className="pr-4 font-normal">
            <span className="sr-only">Fact</span>
          </th>
          <th className="pr-6 font-normal">reported</th>
          <th className="font-normal">{tag}</th>
        </tr>
      </thead>
      <tbody>
        {facts.map(({ title, told, recorded, isOther }) => (
          <tr key={title}>
            <th scope="row" className="pr-4 text-left font-normal text-quiet">
              {title}
            </th>
            <td className={isOther ? "code pr-6 text-plum" : "code pr-6"}>{told}</td>
            <td className={isOther ? "code text-plum" : "code"}>{recorded}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
