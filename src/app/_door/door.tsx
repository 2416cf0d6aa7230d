import type { ReactNode } from "react";
import { Mark } from "@/ui/mark";

/** A page for those who are not in yet: one thing to do, in the middle. */
export function Door({ title, children }: { title: string; children: ReactNode }) {
  return (
    <main id="main" className="mx-auto max-w-md px-5 pt-[12vh] pb-10">
      <p className="mb-6 flex items-center gap-2">
        <Mark />
        <span className="font-bold text-lg tracking-tight">Creel</span>
      </p>
      <h1 className="mb-4">{title}</h1>
      {children}
    </main>
  );
}
