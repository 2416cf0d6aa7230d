import "@fontsource/atkinson-hyperlegible-next/400.css";
import "@fontsource/atkinson-hyperlegible-next/600.css";
import "@fontsource/atkinson-hyperlegible-next/700.css";
import "@fontsource/atkinson-hyperlegible-mono/400.css";
import "./globals.css";
import type { Metadata } from "next";
import { cookies } from "next/headers";
import type { ReactNode } from "react";
import { currentContext } from "./_lib/context";
import { AddForm } from "./_parts/add-form";
import { CatchUp } from "./_shell/catch-up";
import { Shell } from "./_shell/shell";
import { addFirstPersonAction } from "./people/actions";

export const metadata: Metadata = {
  title: { default: "Creel", template: "%s · Creel" },
  description: "Rescue media that work when needed.",
};
// Every page shows the inventory as it is now.
export const dynamic = "force-dynamic";

/** An inventory that nobody uses yet: every change in it is told with who made it. */
function FirstPerson() {
  return (
    <section className="max-w-2xl">
      <h1>First person</h1>
      <p className="mt-1 mb-4">
        No people recorded yet. Every change is recorded with the person who made it. Add yourself, then a site,
        computers and media.
      </p>
      <AddForm
        title="Add person"
        fields={[
          { name: "name", label: "Name" },
          { name: "role", label: "Role" },
        ]}
        onAdd={addFirstPersonAction}
      />
    </section>
  );
}

export default async function Layout({ children }: { children: ReactNode }) {
  const { people, person } = await currentContext();
  const form = (await cookies()).get("creel-form")?.value === "dark" ? "dark" : "light";
  return (
    <html lang="en-GB" data-form={form}>
      <body>
        <Shell people={people.map(({ id, name }) => ({ id, name }))} personId={person.id} form={form}>
          <CatchUp renderedAt={Date.now()} />
          {people.length > 0 ? children : <FirstPerson />}
        </Shell>
      </body>
    </html>
  );
}
