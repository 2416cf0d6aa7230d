"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/core/words/problems";
import type { Travel } from "@/server/inventory/policies";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { setTravelAction } from "./actions";

/** So many places are shown as a table; more are said one way at a time. */
const TABLE_MOST = 14;

/** How long the ways between places take, in minutes, either way. */
export function TravelForm({ travel: { places, table, legs } }: { travel: Travel }) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const legOf = (a: number, b: number) =>
    legs.find(({ fromId, toId }) => (fromId === a && toId === b) || (fromId === b && toId === a));
  const set = async (fromId: number, toId: number, text: string) => {
    const minutes = text.trim() === "" ? null : Number(text);
    if (minutes === (legOf(fromId, toId)?.minutes ?? null)) return;
    setProblem(null);
    const result = Number.isNaN(minutes) ? null : await setTravelAction({ fromId, toId, minutes });
    if (result?.ok) router.refresh();
    else setProblem(result ? problemText(result.problem) : "Minutes are a whole number, such as 25.");
  };
  return (
    <section className="mt-8" aria-busy={!ready}>
      <h2>Travel times</h2>
      <p className="max-w-3xl text-quiet">
        Minutes in either direction, boats and waiting included. Grey: computed over other sites. No travel time:
        nothing is carried.
      </p>
      {places.length < 2 && <p className="text-quiet">Add a second site first.</p>}
      {places.length > TABLE_MOST ? (
        <OneWay places={places} set={set} legs={legs} />
      ) : (
        <div className="mt-2 overflow-x-auto">
          <table className="border-collapse">
            <thead>
              <tr className="text-left align-bottom">
                <th />
                {places.slice(0, -1).map(({ id, name }) => (
                  <th key={id} className="px-1 pb-1 font-normal text-[0.9rem]">
                    {name}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {places.slice(1).map((row, at) => (
                <tr key={row.id}>
                  <th scope="row" className="whitespace-nowrap pr-3 text-left font-semibold">
                    {row.name}
                  </th>
                  {places.slice(0, -1).map((column, nth) => {
                    const minutes = legOf(row.id, column.id)?.minutes;
                    const over = table[at + 1]?.[nth] ?? null;
                    return (
                      <td key={column.id} className="p-0.5">
                        {nth <= at && (
                          <input
                            key={minutes ?? "none"}
                            className="field w-20 text-right"
                            inputMode="numeric"
                            defaultValue={minutes ?? ""}
                            placeholder={over === null ? "" : String(over)}
                            aria-label={`${row.name} to ${column.name}, minutes`}
                            onBlur={(event) => set(row.id, column.id, event.target.value)}
                            onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
                          />
                        )}
                      </td>
                    );
                  })}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      <ProblemLine text={problem} className="mt-2" />
    </section>
  );
}

function OneWay({
  places,
  legs,
  set,
}: Pick<Travel, "places" | "legs"> & { set: (from: number, to: number, text: string) => Promise<void> }) {
  const [from, setFrom] = useState(places[0]?.id ?? 0);
  const [to, setTo] = useState(places[1]?.id ?? 0);
  const name = (id: number) => places.find((place) => place.id === id)?.name ?? "";
  const choice = (label: string, value: number, choose: (id: number) => void) => (
    <label>
      <span className="block font-semibold text-[0.9rem]">{label}</span>
      <select className="field" value={value} onChange={(event) => choose(Number(event.target.value))}>
        {places.map((place) => (
          <option key={place.id} value={place.id}>
            {place.name}
          </option>
        ))}
      </select>
    </label>
  );
  return (
    <>
      <form
        className="mt-2 flex flex-wrap items-end gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void set(from, to, String(new FormData(event.currentTarget).get("minutes") ?? ""));
        }}
      >
        {choice("Between", from, setFrom)}
        {choice("and", to, setTo)}
        <label>
          <span className="block font-semibold text-[0.9rem]">Minutes</span>
          <input className="field w-24" name="minutes" inputMode="numeric" autoComplete="off" />
        </label>
        <button type="submit" className="act">
          Save travel time
        </button>
      </form>
      <ul className="mt-2 columns-2 md:columns-3">
        {legs.map(({ id, fromId, toId, minutes }) => (
          <li key={id}>
            {name(fromId)} – {name(toId)}: {minutes}
          </li>
        ))}
      </ul>
    </>
  );
}
