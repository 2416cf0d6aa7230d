"use client";

import clsx from "clsx";
import type { Choices, FactChange } from "@/core/computer/facts/merge";
import { changeReasonText, factTitle, factValueText, sourceText } from "@/core/words/facts";
import { visible } from "@/core/words/visible";
import { dateText, plural } from "@/ui/words";

const EFFECTS = [
  { effect: "contradicts", title: "Contradictions" },
  { effect: "replaces", title: "Replaced" },
  { effect: "removes", title: "No longer there" },
  { effect: "adds", title: "Added" },
] as const;

/** Facts of one new thing, a disk or a system, are taken or left together. */
function thingOf({ path, effect }: FactChange): string | null {
  const [head, key] = path.split("/");
  return effect === "adds" && (head === "disks" || head === "systems") && key !== undefined ? `${head}/${key}` : null;
}

type Choose = (paths: string[], take: number | null) => void;

/** What would change, by effect, each to be taken or left. */
export function Changes({ changes, choices, onChoose }: { changes: FactChange[]; choices: Choices; onChoose: Choose }) {
  if (changes.length === 0) return <p className="mt-4">Nothing changes: every fact is recorded already.</p>;
  const takenOf = (change: FactChange) => (change.path in choices ? (choices[change.path] ?? null) : change.take);
  return (
    <div className="max-w-5xl">
      {EFFECTS.map(({ effect, title }) => {
        const changesOfEffect = changes.filter((change) => change.effect === effect);
        if (changesOfEffect.length === 0) return null;
        const things = [...new Set(changesOfEffect.map(thingOf))].filter((thing) => thing !== null);
        return (
          <section key={effect} className="mt-4">
            <h2>
              {title}: {changesOfEffect.length}
            </h2>
            <ul className="mt-1 border-line border-t">
              {things.map((thing) => (
                <Thing
                  key={thing}
                  thing={thing}
                  changes={changesOfEffect.filter((change) => thingOf(change) === thing)}
                  takenOf={takenOf}
                  onChoose={onChoose}
                />
              ))}
              {changesOfEffect
                .filter((change) => thingOf(change) === null)
                .map((change) => (
                  <Change
                    key={change.path}
                    change={change}
                    taken={takenOf(change)}
                    onChoose={(take) => onChoose([change.path], take)}
                  />
                ))}
            </ul>
          </section>
        );
      })}
    </div>
  );
}

function Thing({
  thing,
  changes,
  takenOf,
  onChoose,
}: {
  thing: string;
  changes: FactChange[];
  takenOf: (change: FactChange) => number | null;
  onChoose: Choose;
}) {
  const taken = changes.some((change) => takenOf(change) !== null);
  const value = (leaf: string) => changes.find((change) => change.path === `${thing}/${leaf}`)?.candidates[0]?.value;
  const why = changes.map(changeReasonText).find((text) => text !== null);
  const summary = ["bytes", "bus", "model", "serial", "version", "edition"]
    .flatMap((leaf) => {
      const leafValue = value(leaf);
      return leafValue === undefined || leafValue === null ? [] : [factValueText(`${thing}/${leaf}`, leafValue)];
    })
    .join(", ");
  return (
    <li className="grid grid-cols-[1.6rem_minmax(0,1fr)] gap-x-2 border-line border-b py-1">
      <input
        type="checkbox"
        className="mt-0.5 size-[18px] accent-[var(--rope)]"
        aria-label={`Take ${factTitle(thing)}`}
        checked={taken}
        onChange={(event) =>
          onChoose(
            changes.map((change) => change.path),
            event.target.checked ? 0 : null,
          )
        }
      />
      <details>
        <summary className="min-h-[24px] cursor-pointer">
          <span className={taken ? "" : "text-quiet line-through"}>
            {factTitle(thing)}
            {summary && `: ${summary}`}
          </span>{" "}
          <span className="caption">{plural(changes.length, "fact")}</span>
          {why && <span className="block text-quiet">{why}</span>}
        </summary>
        <ul>
          {changes.map((change) => (
            <Change
              key={change.path}
              change={change}
              taken={takenOf(change)}
              onChoose={(take) => onChoose([change.path], take)}
            />
          ))}
        </ul>
      </details>
    </li>
  );
}

function Change({
  change,
  taken,
  onChoose,
}: {
  change: FactChange;
  taken: number | null;
  onChoose: (take: number | null) => void;
}) {
  const { path, effect, current, currentSource, candidates } = change;
  const title = factTitle(path);
  const why = changeReasonText(change);
  const [first] = candidates;
  const simple = candidates.length === 1 && effect !== "contradicts";
  if (simple && first)
    return (
      <li className="grid grid-cols-[1.6rem_minmax(0,15rem)_minmax(0,1fr)_auto] items-start gap-x-2 border-line border-b py-1">
        <input
          type="checkbox"
          className="mt-0.5 size-[18px] accent-[var(--rope)]"
          aria-label={`Take ${title}`}
          checked={taken !== null}
          onChange={(event) => onChoose(event.target.checked ? 0 : null)}
        />
        <span className="break-words text-quiet">{title}</span>
        <span className="min-w-0 break-words">
          <span className={clsx(taken === null && "text-quiet line-through")}>
            {effect === "removes" ? (
              current === null ? (
                "with all that is recorded of it"
              ) : (
                factValueText(path, current)
              )
            ) : (
              <>
                {current !== null && <span className="text-quiet">{factValueText(path, current)} → </span>}
                {factValueText(path, first.value)}
              </>
            )}
          </span>
          {why && <span className="block text-quiet">{why}</span>}
        </span>
        <span className="caption text-right">{visible(first.source.name, 60)}</span>
      </li>
    );
  return (
    <li className="border-line border-b py-1.5">
      <fieldset>
        <legend className="font-semibold">{title}</legend>
        {why && <p className="text-quiet">{why}</p>}
        <div className="mt-0.5 grid gap-x-6 sm:grid-cols-2">
          {current !== null && (
            <Option
              path={path}
              label={factValueText(path, current)}
              from={`recorded, ${sourceText(currentSource)}${currentSource ? `, ${dateText(currentSource.at)}` : ""}`}
              chosen={taken === null}
              onChoose={() => onChoose(null)}
            />
          )}
          {candidates.map((candidate, index) => (
            <Option
              key={`${candidate.source.name}${JSON.stringify(candidate.value).slice(0, 80)}`}
              path={path}
              label={factValueText(path, candidate.value)}
              from={`${candidate.source.name}, ${dateText(candidate.source.at)}`}
              chosen={taken === index}
              onChoose={() => onChoose(index)}
            />
          ))}
          {current === null && (
            <Option path={path} label="neither" from="" chosen={taken === null} onChoose={() => onChoose(null)} />
          )}
        </div>
      </fieldset>
    </li>
  );
}

function Option({
  path,
  label,
  from,
  chosen,
  onChoose,
}: {
  path: string;
  label: string;
  from: string;
  chosen: boolean;
  onChoose: () => void;
}) {
  return (
    <label className="flex min-h-[24px] items-start gap-2">
      <input type="radio" className="mt-1 accent-[var(--rope)]" name={path} checked={chosen} onChange={onChoose} />
      <span className="min-w-0 break-words">
        {label} <span className="caption">{from}</span>
      </span>
    </label>
  );
}
