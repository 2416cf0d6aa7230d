import type { Metadata } from "next";
import { AddForm } from "@/app/_parts/add-form";
import { listKits, listReleases } from "@/server/services/places";
import { dateText, plural } from "@/ui/words";
import { currentContext } from "../_lib/context";
import { addKitAction, addReleaseAction } from "./actions";

export const metadata: Metadata = { title: "Kits" };

export default async function Kits() {
  const context = await currentContext();
  const [kits, releases] = await Promise.all([listKits(context), listReleases(context)]);
  return (
    <div className="grid gap-8 xl:grid-cols-[minmax(0,1fr)_20rem]">
      <section>
        <h1>Kits and their releases</h1>
        {kits.length === 0 && (
          <p className="mt-2 text-quiet">
            No kit is recorded yet. A kit is a bootable environment with its tools; a release is one version of it.
          </p>
        )}
        {kits.map((kit) => {
          const own = releases.filter((release) => release.kitId === kit.id);
          return (
            <div key={kit.id} className="mt-4 border-line border-t pt-3">
              <h2>{kit.name}</h2>
              {kit.purpose && <p className="text-quiet">{kit.purpose}</p>}
              {own.length === 0 && <p className="mt-1 text-quiet">No release yet.</p>}
              <table className="mt-1 w-full">
                <caption className="sr-only">Releases of {kit.name}</caption>
                <tbody>
                  {own.map((release) => (
                    <tr key={release.id} className="border-line border-b">
                      <td className="w-32 py-1 font-semibold">{release.name}</td>
                      <td className="w-32">
                        {release.madeOn ? dateText(release.madeOn) : <span className="text-quiet">no date</span>}
                      </td>
                      <td className="w-32">
                        {release.media === 0 ? (
                          <span className="text-quiet">on no medium</span>
                        ) : (
                          `on ${plural(release.media, "medium", "media")}`
                        )}
                      </td>
                      <td className="text-quiet">{release.note}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          );
        })}
      </section>
      <aside className="space-y-8">
        {kits.length > 0 && (
          <AddForm
            title="Add a release"
            fields={[
              { name: "kitId", label: "Kit", choices: kits.map((kit) => ({ value: String(kit.id), text: kit.name })) },
              { name: "name", label: "Version" },
              { name: "madeOn", label: "Made on", type: "date" },
              { name: "note", label: "Note" },
            ]}
            onAdd={addReleaseAction}
          />
        )}
        <AddForm
          title="Add a kit"
          fields={[
            { name: "name", label: "Name" },
            { name: "purpose", label: "What it is for" },
          ]}
          onAdd={addKitAction}
        />
      </aside>
    </div>
  );
}
