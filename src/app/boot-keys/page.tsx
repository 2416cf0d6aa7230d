import type { Metadata } from "next";
import Link from "next/link";
import { startKeys } from "@/core/computer/facts/key-cards";
import { asKeyCard, listModels } from "@/server/inventory/key-cards";
import { dateText, formText, plural } from "@/ui/words";
import { currentContext } from "../_lib/context";
import { one, type SearchParams } from "../_lib/params";
import { ComputersNav } from "../computers/nav";
import { CardForm } from "./card-form";

export const metadata: Metadata = { title: "Boot keys" };

const ROWS = 200;

export default async function Models({ searchParams }: { searchParams: SearchParams }) {
  const [context, values] = await Promise.all([currentContext(), searchParams]);
  const models = await listModels(context);
  const [make, model] = [one(values.make), one(values.model)];
  const chosen = models.find((each) => each.make === make && each.model === model);
  return (
    <>
      <ComputersNav here="/boot-keys" />
      <div className="grid gap-8 xl:grid-cols-[minmax(0,1fr)_22rem]">
        <section>
          <h1>Boot keys</h1>
          <p className="mt-1 max-w-3xl text-quiet">
            Boot keys by make and model, shown on pages and run sheets. Italics: a guess, the usual keys of the trade.
          </p>
          {models.length === 0 ? (
            <p className="mt-4 text-quiet">No computer with make and model yet.</p>
          ) : (
            <table className="mt-4 w-full border-collapse" data-list>
              <caption className="sr-only">Makes and models with their keys</caption>
              <thead>
                <tr className="border-line border-b text-left">
                  <th className="py-1.5 pr-4 font-semibold">Make and model</th>
                  <th className="py-1.5 pr-4 font-semibold">Setup</th>
                  <th className="py-1.5 pr-4 font-semibold">Boot menu</th>
                  <th className="py-1.5 pr-4 font-semibold">Save</th>
                  <th className="py-1.5 pr-4 text-right font-semibold">Computers</th>
                </tr>
              </thead>
              <tbody>
                {models.slice(0, ROWS).map((item) => {
                  const keys = startKeys(null, asKeyCard(item.card), item.form);
                  return (
                    <tr
                      key={`${item.make}\n${item.model}`}
                      className={item === chosen ? "border-line border-b bg-rope-soft" : "border-line border-b"}
                    >
                      <th scope="row" className="py-1 pr-4 text-left">
                        <Link
                          data-item
                          prefetch={false}
                          scroll={false}
                          href={`/boot-keys?${new URLSearchParams({ make: item.make, model: item.model })}`}
                        >
                          {item.make} {item.model}
                        </Link>
                        {item.form && <span className="caption font-normal"> {formText(item.form)}</span>}
                        {item.lastStart && (
                          <span className="caption block font-normal">
                            Last start of a medium on {item.lastStart.computer}, {dateText(item.lastStart.on)}
                            {item.card &&
                              (item.lastStart.isWithThisCard ? ", with this card" : ", perhaps with an earlier card")}
                            .
                          </span>
                        )}
                        {item.card?.quirks && (
                          <span className="caption block font-normal">{item.card.quirks.slice(0, 120)}</span>
                        )}
                      </th>
                      {(["setup", "startMenu", "save"] as const).map((name) => (
                        <td key={name} className="py-1 pr-4">
                          {keys[name].from === "guess" ? (
                            <em className="text-quiet" title="A guess: usual in the trade">
                              {keys[name].key}
                            </em>
                          ) : (
                            keys[name].key
                          )}
                        </td>
                      ))}
                      <td className="py-1 pr-4 text-right tabular-nums">
                        {item.computers === 0 ? (
                          <span className="text-quiet">none</span>
                        ) : (
                          <Link
                            prefetch={false}
                            href={`/computers?${new URLSearchParams({ make: item.make, model: item.model })}`}
                          >
                            {item.computers.toLocaleString("en-GB")}
                          </Link>
                        )}
                      </td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
          )}
          {models.length > ROWS && (
            <p className="caption mt-2">and {plural(models.length - ROWS, "model")} with fewer computers</p>
          )}
        </section>
        <aside>
          <CardForm
            key={`${make}\n${model}`}
            make={chosen?.make ?? ""}
            model={chosen?.model ?? ""}
            fixed={chosen !== undefined}
            card={chosen?.card ?? null}
          />
        </aside>
      </div>
    </>
  );
}
