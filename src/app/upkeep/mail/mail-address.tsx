"use client";

import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/server/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { setMailAddressAction } from "../actions";

/** Where digests for a place or a person go, and how that is changed. */
export function MailAddress({
  kind,
  id,
  name,
  mail,
}: {
  kind: "site" | "person";
  id: number;
  name: string;
  mail: string | null;
}) {
  const router = useRouter();
  const ready = useReady();
  const [isOpen, setIsOpen] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const close = () => {
    setIsOpen(false);
    setProblem(null);
  };
  if (!isOpen)
    return (
      <button
        type="button"
        className="link ml-3 text-[0.9rem]"
        aria-busy={!ready}
        aria-label={`Mail address of ${name}: ${mail ?? "none"}`}
        onClick={() => setIsOpen(true)}
      >
        {mail ?? "no address"}
      </button>
    );
  return (
    <form
      className="mt-1"
      aria-busy={!ready}
      onSubmit={async (event) => {
        event.preventDefault();
        const text = String(new FormData(event.currentTarget).get("mail") ?? "");
        const result = await setMailAddressAction({ kind, id, mail: text });
        if (!result.ok) return setProblem(problemText(result.problem));
        close();
        router.refresh();
      }}
    >
      <span className="flex gap-1.5">
        <input
          className="field w-60"
          name="mail"
          aria-label={`Mail address of ${name}`}
          defaultValue={mail ?? ""}
          autoComplete="off"
          // biome-ignore lint/a11y/noAutofocus: it was opened to be typed into
          autoFocus
        />
        <button type="submit" className="act">
          Keep
        </button>
        <button type="button" className="act" onClick={close}>
          Leave it
        </button>
      </span>
      <ProblemLine text={problem} />
    </form>
  );
}
