"use client";

import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { Ellipsis } from "lucide-react";
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
  /** The job that holds it. */
  jobId: number | null;
  isEmpty: boolean;
  isStore: boolean;
  isMedium: boolean;
  /** What is in it is found, not put in here. */
  isPort: boolean;
  /** It is at a bench host that is not connected: nothing can be begun there. */
  isAway: boolean;
  /** The tag that it says it has, where that is no medium here. */
  saysItIs: string | null;
  /** It holds something that is no medium here, and could be one. */
  isForeign: boolean;
  /** How its device is named before it is emptied; null where it cannot be. */
  howToName: string | null;
}

/** Something that can be done at a berth: it goes somewhere, or does it. */
type Act = { name: string } & ({ href: string } | { onSelect: () => void });

/** Of its content, where a part of it is compared. */
const SAMPLE_SHARE = 0.05;

/** What can be done at a berth: the one act that makes sense next, and the others in a menu. */
export function BerthActs({
  berth,
  loose,
  makeHref,
  isWished,
}: {
  berth: BerthToAct;
  loose: { id: number; text: string }[];
  /** Where a medium is made in this berth. */
  makeHref: string;
  /** Somebody comes with a medium that is to be made. */
  isWished: boolean;
}) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const [opened, setOpened] = useState<"test" | "register" | null>(null);
  const act = async <T,>(doing: Promise<Result<T>>, then: (value: T) => void) => {
    setProblem(null);
    const result = await doing;
    if (result.ok) then(result.value);
    else setProblem(problemText(result.problem));
  };
  const toJob = (id: number) => router.push(`/bench/jobs/${id}`);
  const toMedium = ({ tag }: { tag: string }) => router.push(`/media/${encodeURIComponent(tag)}`);
  if (berth.isEmpty)
    return (
      <div aria-busy={!ready}>
        {!berth.isPort && (
          <Insert
            berth={berth.name}
            loose={loose}
            onInsert={(device) => act(fillBerthAction(berth.id, berth.version, device), () => router.refresh())}
          />
        )}
        <ProblemLine text={problem} className="text-[0.85rem]" />
      </div>
    );
  const verify = (share: number | null) => act(startVerificationAction(berth.id, share), toJob);
  const make: Act = { name: "Make a medium", href: makeHref };
  const acts: (Act | false)[] =
    berth.jobId !== null
      ? [{ name: `See job ${berth.jobId}`, href: `/bench/jobs/${berth.jobId}` }]
      : [
          isWished && !berth.isStore && make,
          berth.saysItIs !== null && {
            name: `Import records ${berth.saysItIs}`,
            onSelect: () => act(takeInAction(berth.id), ({ medium }) => toMedium(medium)),
          },
          berth.isForeign && { name: "Register", onSelect: () => setOpened("register") },
          berth.isMedium && { name: "Verify", onSelect: () => verify(null) },
          berth.isMedium && { name: "Verify a sample", onSelect: () => verify(SAMPLE_SHARE) },
          !isWished && !berth.isStore && make,
          !berth.isMedium &&
            !berth.isStore &&
            berth.howToName !== null && { name: "Make a store", href: `/bench/store/${berth.id}` },
          !berth.isMedium &&
            !berth.isStore &&
            berth.howToName !== null && { name: "Test capacity", onSelect: () => setOpened("test") },
        ];
  const possible = berth.isAway && berth.jobId === null ? [] : acts.filter((each) => each !== false);
  if (!berth.isPort)
    possible.push({
      name: "Remove",
      onSelect: () => act(fillBerthAction(berth.id, berth.version, null), () => router.refresh()),
    });
  // A store is left in peace: what can be done with it is not what is to be done next.
  const [main = null, ...others] = berth.isStore ? [null, ...possible] : possible;
  return (
    <div className="flex max-w-[21rem] flex-col items-end gap-1.5" aria-busy={!ready}>
      <div className="flex gap-1.5">
        {main && <MainAct act={main} />}
        {others.length > 0 && <More berth={berth.name} acts={others.filter((each) => each !== null)} />}
      </div>
      {opened === "register" && (
        <OneField
          text="Tag for this medium, as printed on it. Nothing on it is changed."
          button="Register medium"
          onSend={(tag) => act(registerFoundAction(berth.id, tag), toMedium)}
        />
      )}
      {opened === "test" && (
        <OneField
          isLoss
          text={`Every byte is written and read back; everything on it is lost. Type ${berth.howToName}.`}
          button="Erase and test"
          onSend={(confirm) => act(startTestAction(berth.id, confirm), toJob)}
        />
      )}
      <ProblemLine text={problem} className="text-[0.85rem]" />
    </div>
  );
}

function MainAct({ act }: { act: Act }) {
  return "href" in act ? (
    <Link prefetch={false} className="act whitespace-nowrap" href={act.href}>
      {act.name}
    </Link>
  ) : (
    <button type="button" className="act whitespace-nowrap" onClick={act.onSelect}>
      {act.name}
    </button>
  );
}

function More({ berth, acts }: { berth: string; acts: Act[] }) {
  const item = "block w-full whitespace-nowrap px-3 py-1.5 text-left no-underline data-focus:bg-rope-soft";
  return (
    <Menu>
      <MenuButton className="act px-2" aria-label={`More for ${berth}`}>
        <Ellipsis size={17} aria-hidden />
      </MenuButton>
      <MenuItems
        anchor={{ to: "bottom end", gap: 4 }}
        className="z-20 rounded-sm border border-line bg-sheet py-1 shadow-lg outline-none"
      >
        {acts.map((act) => (
          <MenuItem key={act.name}>
            {"href" in act ? (
              <Link prefetch={false} className={item} href={act.href}>
                {act.name}
              </Link>
            ) : (
              <button type="button" className={item} onClick={act.onSelect}>
                {act.name}
              </button>
            )}
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  );
}

/** Puts a device that is in no berth into this one. */
function Insert({
  berth,
  loose,
  onInsert,
}: {
  berth: string;
  loose: { id: number; text: string }[];
  onInsert: (device: number) => void;
}) {
  const [chosen, setChosen] = useState(loose[0]?.id ?? 0);
  if (loose.length === 0) return <span className="caption">no device available</span>;
  return (
    <div className="flex gap-1.5">
      <select
        className="field max-w-40"
        aria-label={`Device for ${berth}`}
        value={chosen}
        onChange={(event) => setChosen(Number(event.target.value))}
      >
        {loose.map(({ id, text }) => (
          <option key={id} value={id}>
            {text}
          </option>
        ))}
      </select>
      <button type="button" className="act" onClick={() => onInsert(chosen)}>
        Insert
      </button>
    </div>
  );
}

function OneField({
  text,
  button,
  isLoss = false,
  onSend,
}: {
  text: string;
  button: string;
  /** What is on the device goes. */
  isLoss?: boolean;
  onSend: (value: string) => void;
}) {
  const [value, setValue] = useState("");
  return (
    <form
      className={`w-full border-l-4 pl-2 ${isLoss ? "border-plum" : "border-rope"}`}
      onSubmit={(event) => {
        event.preventDefault();
        onSend(value);
      }}
    >
      <label className="block text-[0.85rem]">
        {text}
        <input className="field" value={value} onChange={(event) => setValue(event.target.value)} />
      </label>
      <button type="submit" className="act mt-1">
        {button}
      </button>
    </form>
  );
}
