"use client";

import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { Ellipsis } from "lucide-react";
import { useRouter } from "next/navigation";
import { useState } from "react";
import { problemText } from "@/core/words/problems";
import type { PersonRow } from "@/server/accounts/accounts";
import type { Result } from "@/server/problems";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import {
  changeAccountAction,
  endSessionsAction,
  forgetPersonAction,
  inviteAgainAction,
  removeSecondFactorAction,
} from "./actions";
import { ForgetDialog } from "./forget-dialog";
import { LinkOnce } from "./link-once";
import { SitesDialog } from "./sites-dialog";

interface Props {
  personId: number;
  name: string;
  account: NonNullable<PersonRow["account"]>;
  choices: { value: string; text: string }[];
  sites: { id: number; name: string }[];
  /** It is the account of whoever looks at it. */
  isOwn: boolean;
}

/** What an administrator does with somebody's account. */
export function AccountActs({ personId, name, account, choices, sites, isOwn }: Props) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const [link, setLink] = useState<{ link: string; isUnsent: boolean } | null>(null);
  const done = <T,>(result: Result<T>): T | null => {
    setProblem(result.ok ? null : problemText(result.problem));
    router.refresh();
    return result.ok ? result.value : null;
  };
  const [isPicking, setPicking] = useState(false);
  const [isForgetting, setForgetting] = useState(false);
  const change = async (told: { role?: string; isClosed?: boolean; sites?: number[] }) =>
    done(
      await changeAccountAction(account.id, account.version, {
        ...{ role: account.role, isClosed: account.isClosed },
        ...told,
      }),
    );
  const acts = [
    account.role !== "administrator" &&
      !account.isClosed &&
      sites.length > 0 && { text: "Limit to sites", run: () => setPicking(true) },
    !account.isClosed && { text: "New link", run: async () => setLink(done(await inviteAgainAction(account.id))) },
    account.sessions > 0 &&
      !isOwn && { text: "End sessions", run: async () => done(await endSessionsAction(account.id)) },
    account.hasSecondFactor && {
      text: "Remove second factor",
      run: async () => done(await removeSecondFactorAction(account.id)),
    },
    account.isClosed
      ? { text: "Open account", run: () => change({ isClosed: false }) }
      : { text: "Close account", run: () => change({ isClosed: true }) },
    account.isClosed && !isOwn && { text: "Remove personal data", run: () => setForgetting(true) },
  ].filter((act) => act !== false);
  return (
    <div aria-busy={!ready} className="max-w-72">
      <div className="flex gap-2">
        <select
          className="field w-auto"
          aria-label={`Role of ${name}`}
          value={account.role}
          disabled={!ready || account.isClosed}
          onChange={(event) => change({ role: event.target.value })}
        >
          {choices.map(({ value, text }) => (
            <option key={value} value={value}>
              {text}
            </option>
          ))}
        </select>
        <Menu>
          <MenuButton className="act px-2" aria-label={`More for ${name}`}>
            <Ellipsis size={17} aria-hidden />
          </MenuButton>
          <MenuItems
            anchor={{ to: "bottom end", gap: 4 }}
            className="z-20 rounded-sm border border-line bg-sheet py-1 shadow-lg outline-none"
          >
            {acts.map(({ text, run }) => (
              <MenuItem key={text}>
                <button
                  type="button"
                  className="block w-full whitespace-nowrap px-3 py-1.5 text-left data-focus:bg-rope-soft"
                  onClick={run}
                >
                  {text}
                </button>
              </MenuItem>
            ))}
          </MenuItems>
        </Menu>
      </div>
      <ProblemLine text={problem} className="mt-1 text-[0.85rem]" />
      {isPicking && (
        <SitesDialog
          {...{ name, sites, held: account.sites }}
          onClose={() => setPicking(false)}
          onSave={(chosen) => {
            setPicking(false);
            void change({ sites: chosen });
          }}
        />
      )}
      {isForgetting && (
        <ForgetDialog
          name={name}
          onClose={() => setForgetting(false)}
          onConfirm={async () => {
            setForgetting(false);
            done(await forgetPersonAction(personId));
          }}
        />
      )}
      {link && <LinkOnce name={name} {...link} />}
    </div>
  );
}
