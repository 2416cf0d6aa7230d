"use client";

import { X } from "lucide-react";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { type FormEvent, useState, useTransition } from "react";
import { problemText } from "@/core/words/problems";
import type { SavedView } from "@/server/computers/saved-views";
import { removeViewAction, saveViewAction } from "./actions";

/** Views under a name: filter, order and columns as the address has them. */
export function Views({ views, query }: { views: SavedView[]; query: string }) {
  const router = useRouter();
  const [naming, setNaming] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const [pending, start] = useTransition();
  const save = (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const name = String(new FormData(event.currentTarget).get("name") ?? "");
    start(async () => {
      const result = await saveViewAction({ name, query });
      setProblem(result.ok ? null : problemText(result.problem));
      if (!result.ok) return;
      setNaming(false);
      router.refresh();
    });
  };
  const current = views.find((view) => view.query === query);
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
      {views.length > 0 && <span className="caption">Views</span>}
      {views.map((view) => (
        <span key={view.id} className="inline-flex items-center gap-1">
          <Link
            prefetch={false}
            className={view === current ? "font-bold no-underline" : "link"}
            aria-current={view === current ? "page" : undefined}
            href={`/computers${view.query}`}
          >
            {view.name}
          </Link>
          {view === current && (
            <button
              type="button"
              className="grid size-[24px] place-items-center text-quiet hover:text-ink"
              aria-label={`Remove view ${view.name}`}
              onClick={() =>
                start(async () => {
                  await removeViewAction(view.id);
                  router.refresh();
                })
              }
            >
              <X size={14} aria-hidden />
            </button>
          )}
        </span>
      ))}
      {query && !current && !naming && (
        <button type="button" className="link min-h-[24px]" onClick={() => setNaming(true)}>
          Save this view
        </button>
      )}
      {naming && (
        <form onSubmit={save} className="flex items-center gap-2">
          <input name="name" className="field w-44" aria-label="View name" placeholder="View name" required />
          <button type="submit" className="act" disabled={pending}>
            Save
          </button>
        </form>
      )}
      {problem && (
        <span role="alert" className="text-plum">
          {problem}
        </span>
      )}
    </div>
  );
}
