import type { Metadata } from "next";
import type { ReactNode } from "react";
import type { Change, ReleaseComparison } from "@/core/medium/releases/compare";
import { systemText } from "@/core/words/contents";
import { archText } from "@/core/words/firmware";
import { visible } from "@/core/words/visible";
import { compareTwo, getRelease, listReleases } from "@/server/media/releases";
import { Strip } from "@/ui/strip";
import { plural } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { positive, type SearchParams } from "../../_lib/params";
import { KitsNav } from "../../kits/nav";

export const metadata: Metadata = { title: "Compare two releases" };

export default async function Compare({ searchParams }: { searchParams: SearchParams }) {
  const [context, query] = await Promise.all([currentContext(), searchParams]);
  const [a, b] = [positive(query.a), positive(query.b)];
  const [releases, before, after] = await Promise.all([
    listReleases(context),
    a ? getRelease(context, a) : null,
    b ? getRelease(context, b) : null,
  ]);
  const comparison = before && after ? await compareTwo(context, before, after) : null;
  const choices = releases.map(({ id, kitName, name, read }) => ({
    id,
    text: `${kitName} ${name}${read ? "" : ", never read"}`,
  }));
  return (
    <>
      <KitsNav here="/releases/compare" />
      <h1>What changed from one release to another</h1>
      <form className="mt-3 flex flex-wrap items-end gap-3">
        {(
          [
            ["a", "From", a],
            ["b", "to", b],
          ] as const
        ).map(([name, label, value]) => (
          <div key={name}>
            <label className="font-semibold" htmlFor={`release-${name}`}>
              {label}
            </label>
            <select className="field" id={`release-${name}`} name={name} defaultValue={value}>
              {choices.map((choice) => (
                <option key={choice.id} value={choice.id}>
                  {choice.text}
                </option>
              ))}
            </select>
          </div>
        ))}
        <button type="submit" className="act">
          Compare
        </button>
      </form>
      {before && after && !comparison && (
        <p className="mt-4">
          {[before, after]
            .filter((each) => !each.inspection)
            .map((each) => `${each.kit.name} ${each.row.name}`)
            .join(" and ")}{" "}
          was never read from a file. Open it and drop its file.
        </p>
      )}
      {comparison && before && after && (
        <Comparison
          comparison={comparison}
          names={[`${before.kit.name} ${before.row.name}`, `${after.kit.name} ${after.row.name}`]}
        />
      )}
    </>
  );
}

function Comparison({ comparison, names }: { comparison: ReleaseComparison; names: [string, string] }) {
  const { bytes, ways, files, programs, signers, systems, kernels, drivers } = comparison;
  const scaleBytes = Math.max(bytes.before, bytes.after);
  const way = (text: string) => {
    const [firmware, arch, as] = text.split(" ") as [string, string, string];
    return `${firmware === "bios" ? "BIOS" : `UEFI ${archText(arch)}`} as a ${as === "usb" ? "stick" : "disc"}`;
  };
  return (
    <div className="mt-5 max-w-5xl space-y-6">
      <section>
        <h2>Size</h2>
        {([bytes.before, bytes.after] as const).map((size, index) => (
          <div key={names[index]} className="mt-1 grid grid-cols-[10rem_1fr] items-center gap-3">
            <span>{names[index]}</span>
            <Strip
              bytes={size}
              scaleBytes={scaleBytes}
              label={names[index] as string}
              parts={[{ key: "all", start: 0, bytes: size, title: names[index] as string, tone: "system" }]}
            />
          </div>
        ))}
      </section>
      <Part title="Boot paths" change={ways} say={way} same="Same boot paths." />
      <section>
        <h2>Programs and their signers</h2>
        {programs.length === 0 && <p className="text-quiet">Same programs and signers.</p>}
        <ul>
          {programs.map((program) => (
            <li key={program.path} className="border-line border-b py-1">
              <Sign change={program.change} /> <span className="code">{visible(program.path, 120)}</span>
              <div className="pl-6 text-[0.92rem]">
                {program.change !== "gained" && `was ${signedText(program.signersBefore)}`}
                {program.change === "changed" && "; "}
                {program.change !== "lost" && `is ${signedText(program.signersAfter)}`}
                {program.generations.length > 0 && (
                  <span className="caption">
                    {" "}
                    Generations:{" "}
                    {program.generations
                      .map((row) => `${visible(row.component, 40)} ${row.before ?? "none"} → ${row.after ?? "none"}`)
                      .join(", ")}
                  </span>
                )}
              </div>
            </li>
          ))}
        </ul>
      </section>
      <Part title="Signers" change={signers} say={(name) => visible(name, 120)} same="No signer changed." />
      <Part
        title="Systems"
        change={{ gained: systems.gained.map(systemText), lost: systems.lost.map(systemText) }}
        say={(name) => name}
        same="No system changed."
      />
      <Part title="Kernels" change={kernels} say={(name) => visible(name, 80)} same="No kernel changed." />
      {drivers ? (
        <Part
          title="Drivers"
          change={drivers}
          say={(name) => visible(name, 60)}
          same="The same drivers."
          after={`${drivers.entriesBefore.toLocaleString("en-GB")} device patterns before, ${drivers.entriesAfter.toLocaleString("en-GB")} now.`}
        />
      ) : (
        <section>
          <h2>Drivers</h2>
          <p className="text-quiet">Not recorded for both, so not compared.</p>
        </section>
      )}
      {files ? (
        <section>
          <Part
            title="Files"
            change={files}
            say={(path) => visible(path, 160)}
            same="No file added or removed."
            after={`${plural(files.same, "file")} the same, ${plural(files.changed.length, "file")} changed${files.by === "size" ? ", judged by size and time" : ", compared by checksum"}.`}
          />
          {files.changed.length > 0 && <Names title="changed" names={files.changed} />}
        </section>
      ) : (
        <p className="text-quiet">Files not listed, so not compared.</p>
      )}
    </div>
  );
}

function signedText(names: string[]): string {
  return names.length === 0 ? "not signed" : `signed by ${names.map((name) => visible(name, 80)).join(" and ")}`;
}

/** Plus, minus and a turned arrow: told by shape, with the word for those who hear the page. */
function Sign({ change }: { change: "gained" | "lost" | "changed" }) {
  const shape = { gained: "+", lost: "\u2212", changed: "\u21bb" }[change];
  return (
    <span
      className={
        change === "lost" ? "font-bold text-plum" : change === "gained" ? "font-bold text-sea" : "font-bold text-rope"
      }
    >
      <span aria-hidden className="inline-block w-5 text-center">
        {shape}
      </span>
      <span className="sr-only">{change}</span>
    </span>
  );
}

const SHOWN = 12;

function Part({
  title,
  change,
  say,
  same,
  after,
}: {
  title: string;
  change: Change<string>;
  say: (text: string) => string;
  same: string;
  after?: ReactNode;
}) {
  const rows = [
    ...change.lost.map((text) => ({ text, change: "lost" as const })),
    ...change.gained.map((text) => ({ text, change: "gained" as const })),
  ];
  return (
    <section>
      <h2>{title}</h2>
      {rows.length === 0 && <p className="text-quiet">{same}</p>}
      <ul>
        {rows.slice(0, SHOWN).map((row) => (
          <li key={row.change + row.text} className="break-all">
            <Sign change={row.change} /> {say(row.text)}
          </li>
        ))}
      </ul>
      {rows.length > SHOWN && (
        <Names
          title={`${change.lost.length} lost and ${change.gained.length} gained in all`}
          names={rows.slice(SHOWN).map((row) => `${row.change === "lost" ? "\u2212" : "+"} ${row.text}`)}
        />
      )}
      {after && <p className="text-quiet">{after}</p>}
    </section>
  );
}

const NAMES_MAX = 500;

function Names({ title, names }: { title: string; names: string[] }) {
  return (
    <details>
      <summary className="cursor-pointer text-rope">{title}</summary>
      <ul className="pl-5 text-[0.92rem]">
        {names.slice(0, NAMES_MAX).map((name) => (
          <li key={name} className="code break-all">
            {visible(name, 200)}
          </li>
        ))}
        {names.length > NAMES_MAX && <li>and {names.length - NAMES_MAX} more</li>}
      </ul>
    </details>
  );
}
