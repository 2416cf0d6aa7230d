import "@fontsource/atkinson-hyperlegible-next/400.css";
import "@fontsource/atkinson-hyperlegible-next/600.css";
import "@fontsource/atkinson-hyperlegible-next/700.css";
import "@fontsource/atkinson-hyperlegible-mono/400.css";
import "./globals.css";
import type { Metadata } from "next";
import { cookies } from "next/headers";
import type { ReactNode } from "react";
import { isDemo } from "@/server/accounts/auth";
import { regional } from "@/ui/regional";
import { shellContext } from "./_lib/context";
import { CatchUp } from "./_shell/catch-up";
import { Shell } from "./_shell/shell";

export const metadata: Metadata = {
  title: { default: "Creel", template: "%s · Creel" },
  description: "Rescue media that work when needed.",
};
// Every page shows the inventory as it is now.
export const dynamic = "force-dynamic";

export default async function Layout({ children }: { children: ReactNode }) {
  const context = await shellContext();
  const form = (await cookies()).get("creel-form")?.value === "dark" ? "dark" : "light";
  const { timeZone, currency } = regional();
  return (
    <html lang="en-GB" data-form={form} data-zone={timeZone} data-currency={currency ?? undefined}>
      <body>
        {context ? (
          <Shell person={{ name: context.person.name, role: context.account.role }} isDemo={isDemo()} form={form}>
            <CatchUp renderedAt={Date.now()} />
            {children}
          </Shell>
        ) : (
          children
        )}
      </body>
    </html>
  );
}
