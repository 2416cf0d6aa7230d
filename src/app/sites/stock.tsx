"use client";

import { useRouter } from "next/navigation";
import { type FormEvent, useRef, useState } from "react";
import { problemText } from "@/core/words/problems";
import type { Stocktaking } from "@/server/media/loans";
import type { Result } from "@/server/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { compareStockAction, giveBackAction, takeStockAction } from "./actions";

/** Scanning: one tag after the other, to check media in or to take stock of the place. */
export function Stock({ siteId, siteName }: { siteId: number; siteName: string }) {
  const router = useRouter();
  const ready = useReady();
  const field = useRef<HTMLInputElement>(null);
  const [tags, setTags] = useState<string[]>([]);
  const [isTaking, setTaking] = useState(false);
  const [compared, setCompared] = useState<Stocktaking | null>(null);
  const [told, setTold] = useState<string | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const show = <T,>(result: Result<T>, then: (value: T) => void) => {
    setProblem(result.ok ? null : problemText(result.problem));
    if (result.ok) then(result.value);
  };
  const scan = async (event: FormEvent) => {
    event.preventDefault();
    const tag = field.current?.value.trim() ?? "";
    if (field.current) field.current.value = "";
    field.current?.focus();
    if (tag === "") return;
    if (isTaking) {
      const next = [...tags.filter((each) => each.toLowerCase() !== tag.toLowerCase()), tag];
      setTags(next);
      show(await compareStockAction(siteId, next), setCompared);
      return;
    }
    show(await giveBackAction(tag, siteId), () => {
      setTold(`${tag} is here.`);
      router.refresh();
    });
  };
  const keep = async () => {
    show(await takeStockAction(siteId, tags), ({ found, missing, moved }) => {
      setTold(`Stock taken: ${found.length} found, ${moved.length} from elsewhere, ${missing.length} missing.`);
      setTaking(false);
      setTags([]);
      setCompared(null);
      router.refresh();
    });
  };
  const list = (title: string, all: string[], isBad: boolean) =>
    all.length > 0 && (
      <p className={isBad ? "text-plum" : ""}>
        <strong>{title}:</strong> <span className="code">{all.slice(0, 40).join(", ")}</span>
        {all.length > 40 && ` and ${all.length - 40} more`}
      </p>
    );
  return (
    <div aria-busy={!ready} className="mt-2 max-w-2xl space-y-2">
      <form onSubmit={scan} className="flex gap-2">
        <input
          ref={field}
          className="field code"
          aria-label={isTaking ? "Scan each medium" : "Scan a tag to check it in"}
          placeholder={isTaking ? "Scan each medium" : "Scan a tag to check it in"}
          autoComplete="off"
        />
        <button type="submit" className="act whitespace-nowrap">
          {isTaking ? "Found" : "Check it in"}
        </button>
        <button type="button" className="act whitespace-nowrap" onClick={() => setTaking(!isTaking)}>
          {isTaking ? "Cancel" : "Take stock"}
        </button>
      </form>
      {isTaking && compared && (
        <div role="status" className="space-y-1 border-line border-y py-2">
          {list("Here, as recorded", compared.found, false)}
          {list(`Recorded elsewhere or lent, found at ${siteName}`, compared.moved, true)}
          {list("No medium has the tag", compared.unknown, true)}
          {list("Not found yet", compared.missing, true)}
          <button type="button" className="act-main" onClick={keep}>
            Finish stock-taking
          </button>
        </div>
      )}
      {told && <p role="status">{told}</p>}
      <ProblemLine text={problem} />
    </div>
  );
}
