"use client";

import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useRouter } from "next/navigation";
import { useEffect, useState } from "react";
import { COLUMN_KEYS, COLUMN_TITLES, type ColumnKey } from "./columns";

/** Which columns the table shows; the address holds them. */
export function ColumnsChoice({ columns, path, query }: { columns: ColumnKey[]; path: string; query: string }) {
  const router = useRouter();
  // What is ticked shows at once; the table follows.
  const [chosen, setChosen] = useState(columns);
  const address = columns.join(" ");
  // biome-ignore lint/correctness/useExhaustiveDependencies: the address stands for the columns
  useEffect(() => setChosen(columns), [address]);
  const choose = (key: ColumnKey, on: boolean) => {
    const next = COLUMN_KEYS.filter((each) => (each === key ? on : chosen.includes(each)));
    setChosen(next);
    const parameters = new URLSearchParams(query);
    parameters.set("columns", next.join(" "));
    router.replace(`${path}?${parameters}`, { scroll: false });
  };
  return (
    <Popover className="relative">
      <PopoverButton className="act">Columns</PopoverButton>
      <PopoverPanel className="absolute right-0 z-20 mt-1 w-56 border border-line bg-sheet p-3 shadow-sm">
        <fieldset>
          <legend className="sr-only">Shown columns</legend>
          {COLUMN_KEYS.map((key) => (
            <label key={key} className="flex min-h-[26px] items-center gap-2">
              <input
                type="checkbox"
                className="size-[16px] accent-[var(--rope)]"
                checked={chosen.includes(key)}
                disabled={chosen.length === 1 && chosen.includes(key)}
                onChange={(event) => choose(key, event.target.checked)}
              />
              {COLUMN_TITLES[key]}
            </label>
          ))}
        </fieldset>
      </PopoverPanel>
    </Popover>
  );
}
