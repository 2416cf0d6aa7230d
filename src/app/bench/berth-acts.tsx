"use client";

import Link from "next/link";
import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/core/words/problems";
import type { Result } from "@/server/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import {
  fillBerthAction,
  registerFoundAction,
  startTestAction,
  startVerificationAction,
  takeInAction,
} from "./actions";

export interface BerthToAct {
  id: number;
  name: string;
  version: number;
  isFree: boolean;
  isEmpty: boolean;
  isStore: boolean;
  isMedium: boolean;
  /** What is in it is found, not put in here. */
  isPort: boolean;
  /** The tag that it says it has, where that is no medium here. */
  saysItIs: string | null;
  /** It holds something that is no medium here, and could be one. */
  isForeign: boolean;
  /** How its device is named before it is emptied; null where it cannot be. */
  howToName: string | null;
}

/** What can be done at a berth: fill it, make a medium, verify one, test a device, take it out. */
export function BerthActs({
  berth,
  loose,
  wish,
}: {
  berth: BerthToAct;
  loose: { id: number; text: string }[];
  /** What is to be made, as the next page takes it. */
  wish: string | null;
}) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const [testing, setTesting] = useState(false);
  const [registering, setRegistering] = useState(false);
  const [tag, setTag] = useState("");
  const [confirm, setConfirm] = useState("");
  const [chosen, setChosen] = useState(loose[0]?.id ?? 0);
  const act = async <T,>(doing: Promise<Result<T>>, then: (value: T) => void) => {
    setProblem(null);
    const result = await doing;
    if (result.ok) then(result.value);
    else setProblem(problemText(result.problem));
  };
  const toJob = (id: number) => router.push(`/bench/jobs/${id}`);
  return (
    <div className="flex max-w-[21rem] flex-col items-end gap-1.5" aria-busy={!ready}>
      {berth.isEmpty ? (
        berth.isPort ? null : loose.length === 0 ? (
          <span className="caption">no device available</span>
        ) : (
          <div className="flex gap-1.5">
            <select
              className="field max-w-40"
              aria-label={`Device for ${berth.name}`}
              value={chosen}
              onChange={(event) => setChosen(Number(event.target.value))}
            >
              {loose.map(({ id, text }) => (
                <option key={id} value={id}>
                  {text}
                </option>
              ))}
            </select>
            <button
              type="button"
              className="act"
              onClick={() => act(fillBerthAction(berth.id, berth.version, chosen), () => router.refresh())}
            >
              Insert
            </button>
          </div>
        )
      ) : (
        <>
          <div className="flex flex-wrap justify-end gap-1.5">
            {berth.isFree && !berth.isStore && (
              <Link prefetch={false} className="act" href={`/bench/prepare/${berth.id}${wish ? `?${wish}` : ""}`}>
                Make a medium
              </Link>
            )}
            {berth.isFree && berth.isMedium && (
              <VerifyActs onVerify={(share) => act(startVerificationAction(berth.id, share), toJob)} />
            )}
            {berth.isFree && berth.saysItIs && (
              <button
                type="button"
                className="act"
                onClick={() =>
                  act(takeInAction(berth.id), ({ medium }) => router.push(`/media/${encodeURIComponent(medium.tag)}`))
                }
              >
                Import records {berth.saysItIs}
              </button>
            )}
            {berth.isFree && berth.isForeign && (
              <button
                type="button"
                className="act"
                aria-expanded={registering}
                onClick={() => setRegistering(!registering)}
              >
                Register
              </button>
            )}
            {berth.isFree && !berth.isMedium && !berth.isStore && berth.howToName && (
              <button type="button" className="act" aria-expanded={testing} onClick={() => setTesting(!testing)}>
                Test
              </button>
            )}
            {!berth.isPort && (
              <button
                type="button"
                className="act"
                onClick={() => act(fillBerthAction(berth.id, berth.version, null), () => router.refresh())}
              >
                Remove
              </button>
            )}
          </div>
          {registering && (
            <form
              className="w-full border-rope border-l-4 pl-2"
              onSubmit={(event) => {
                event.preventDefault();
                void act(registerFoundAction(berth.id, tag), (made) =>
                  router.push(`/media/${encodeURIComponent(made.tag)}`),
                );
              }}
            >
              <label className="block text-[0.85rem]">
                Tag for this medium, as printed on it. Nothing on it is changed.
                <input className="field" value={tag} onChange={(event) => setTag(event.target.value)} />
              </label>
              <button type="submit" className="act mt-1">
                Register medium
              </button>
            </form>
          )}
          {testing && (
            <form
              className="w-full border-plum border-l-4 pl-2"
              onSubmit={(event) => {
                event.preventDefault();
                void act(startTestAction(berth.id, confirm), toJob);
              }}
            >
              <label className="block text-[0.85rem]">
                Every byte is written and read back; everything on it is lost. Type {berth.howToName}.
                <input className="field" value={confirm} onChange={(event) => setConfirm(event.target.value)} />
              </label>
              <button type="submit" className="act mt-1">
                Erase and test
              </button>
            </form>
          )}
        </>
      )}
      <ProblemLine text={problem} className="text-[0.85rem]" />
    </div>
  );
}

/** Of its content, where a part of it is compared. */
const SAMPLE_SHARE = 0.05;

/** All of a medium, or in seconds a part of it. */
function VerifyActs({ onVerify }: { onVerify: (share: number | null) => void }) {
  return (
    <>
      <button type="button" className="act" onClick={() => onVerify(null)}>
        Verify
      </button>
      <button type="button" className="act" onClick={() => onVerify(SAMPLE_SHARE)}>
        Verify a sample
      </button>
    </>
  );
}
