"use client";

import { visible } from "@/core/words/visible";
import type { ImportView } from "@/server/exchange/options";

/** Which column of the file is which of Creel's, over the first rows as they stand in it. */
export function Mapping({
  view,
  mapping,
  columns,
  disabled,
  onChange,
}: {
  view: ImportView;
  mapping: (string | null)[];
  columns: { key: string; title: string }[];
  disabled: boolean;
  onChange: (mapping: (string | null)[]) => void;
}) {
  const table = view.table;
  if (!table) return null;
  return (
    <div className="mt-4 overflow-x-auto">
      <table className="border-collapse">
        <caption className="mb-1 text-left font-semibold">Columns and the first rows of the file</caption>
        <thead>
          <tr>
            {table.header.map((heading, index) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: headings may repeat; the place is their identity
              <th key={index} className="border border-line bg-sunk px-2 py-1 text-left align-top font-semibold">
                <div className="max-w-44 truncate" title={heading}>
                  {visible(heading, 60) || <span className="text-quiet italic">no heading</span>}
                </div>
                <select
                  className="field mt-1 w-40 font-normal"
                  aria-label={`What ${heading || `column ${index + 1}`} is`}
                  disabled={disabled}
                  value={mapping[index] ?? ""}
                  onChange={(event) => {
                    const key = event.target.value || null;
                    // A column of Creel is told by one column of the file.
                    onChange(mapping.map((each, at) => (at === index ? key : each === key ? null : each)));
                  }}
                >
                  <option value="">left out</option>
                  {columns.map(({ key, title }) => (
                    <option key={key} value={key}>
                      {title}
                    </option>
                  ))}
                </select>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {table.sample.map((cells, row) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: rows of a file; the place is their identity
            <tr key={row}>
              {table.header.map((_, index) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: cells of a row; the place is their identity
                <td key={index} className="max-w-44 truncate border border-line px-2 py-1">
                  {visible(cells[index] ?? "", 80)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
