"use client";

import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import clsx from "clsx";
import { Moon, Sun } from "lucide-react";
import Link, { useLinkStatus } from "next/link";
import { usePathname, useRouter } from "next/navigation";
import { type FormEvent, type ReactNode, useEffect, useRef, useState } from "react";
import { roleText } from "@/core/words/accounts";
import { Mark } from "@/ui/mark";
import { useReady } from "@/ui/use-ready";
import { KeysDialog } from "./keys-dialog";
import { ScanButton } from "./scan-button";
import { Wedge } from "./wedge";

/** The stations, in the order of the work. */
const STATIONS = [
  { href: "/", name: "Today", key: "t" },
  { href: "/callouts", name: "Call-outs", key: "o" },
  { href: "/computers", name: "Computers", key: "c" },
  { href: "/media", name: "Media", key: "m" },
  { href: "/bench", name: "Bench", key: "b" },
  { href: "/images", name: "Images", key: "i" },
  { href: "/kits", name: "Kits", key: "k" },
  { href: "/chains", name: "Chains", key: "h" },
  { href: "/upkeep", name: "Upkeep", key: "u" },
  { href: "/sites", name: "Sites", key: "p" },
] as const;

/** What belongs to a station and has an address of its own. */
const ALSO_OF: Record<string, string[]> = {
  "/computers": ["/run-sheets", "/boot-keys", "/operating-systems"],
  "/images": ["/stores"],
  "/kits": ["/releases", "/look", "/library"],
  "/upkeep": ["/cover", "/policy"],
};

interface ShellProps {
  person: { name: string; role: string };
  isDemo: boolean;
  form: "light" | "dark";
  children: ReactNode;
}

/** So many stations stand in the bar of a narrow screen; the others are behind "More". */
const IN_BAR = 4;

const YEAR_SECONDS = 31_536_000;

function remember(name: string, value: string): void {
  // biome-ignore lint/suspicious/noDocumentCookie: the cookie store API is not in every browser in use
  document.cookie = `${name}=${value}; path=/; max-age=${YEAR_SECONDS}; samesite=lax`;
}

function isTyping(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName))
  );
}

export function Shell({ person, isDemo, form, children }: ShellProps) {
  const path = usePathname();
  const router = useRouter();
  const ready = useReady();
  const field = useRef<HTMLInputElement>(null);
  const [keysOpen, setKeysOpen] = useState(false);
  const [moreOpen, setMoreOpen] = useState(false);

  useEffect(() => {
    const shortcut = (key: string) => {
      if (key === "/") {
        field.current?.focus();
        field.current?.select();
      } else if (key === "?") setKeysOpen(true);
      else {
        const station = STATIONS.find((each) => each.key === key);
        if (station) router.push(station.href);
      }
    };
    const scanned = (text: string) => router.push(`/find?q=${encodeURIComponent(text)}`);
    const wedge = new Wedge(shortcut, scanned);
    const onKey = (event: KeyboardEvent) => {
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      if (isTyping(event.target)) {
        if (event.key === "Escape") (event.target as HTMLElement).blur();
        return;
      }
      if (wedge.takes(event.key, event.timeStamp)) event.preventDefault();
      else if (event.key === "ArrowDown" || event.key === "ArrowUp") moveInList(event);
    };
    document.addEventListener("keydown", onKey);
    return () => {
      document.removeEventListener("keydown", onKey);
      wedge.end();
    };
  }, [router]);

  const find = (event: FormEvent) => {
    event.preventDefault();
    const text = field.current?.value.trim();
    if (text) router.push(`/find?q=${encodeURIComponent(text)}`);
  };

  /** What is this person's own: the account, the theme, and help. */
  const own = (
    <>
      <span className="flex items-baseline gap-2">
        <Link prefetch={false} href="/account" className="link" aria-label={`Your account, ${person.name}`}>
          {person.name}
        </Link>
        <span className="caption">{roleText(person.role)}</span>
      </span>
      {isDemo && (
        <Link prefetch={false} href="/sign-in" className="link text-[0.9rem]">
          Demo: switch person
        </Link>
      )}
      <button
        type="button"
        className="act px-2"
        aria-label={form === "dark" ? "Use the light theme" : "Use the dark theme"}
        onClick={() => {
          remember("creel-form", form === "dark" ? "light" : "dark");
          router.refresh();
        }}
      >
        {form === "dark" ? <Sun size={17} aria-hidden /> : <Moon size={17} aria-hidden />}
      </button>
      <button
        type="button"
        className="act px-2.5"
        aria-label="Help: this page and keys"
        onClick={() => {
          setMoreOpen(false);
          setKeysOpen(true);
        }}
      >
        ?
      </button>
    </>
  );

  return (
    <div className="min-h-screen max-lg:pb-16 lg:grid lg:grid-cols-[9.5rem_1fr] print:block print:pb-0">
      <a
        href="#main"
        className="sr-only focus:not-sr-only focus:absolute focus:top-2 focus:left-2 focus:bg-sheet focus:p-2"
      >
        Skip to the content
      </a>
      <nav
        aria-label="Stations"
        className="z-30 border-line bg-sunk max-lg:fixed max-lg:inset-x-0 max-lg:bottom-0 max-lg:border-t lg:sticky lg:top-0 lg:h-screen lg:border-r print:hidden"
      >
        <div className="flex lg:block lg:py-4">
          <Link prefetch={false} href="/" className="mb-5 hidden items-center gap-2 px-4 no-underline lg:flex">
            <Mark />
            <span className="font-bold text-lg tracking-tight">Creel</span>
          </Link>
          {STATIONS.map(({ href, name }, at) => {
            const here = isHere(href, path);
            return (
              <Link
                prefetch={false}
                key={href}
                href={href}
                aria-current={here ? "page" : undefined}
                className={clsx(
                  "whitespace-nowrap py-1.5 no-underline max-lg:grow max-lg:border-t-4 max-lg:px-1 max-lg:py-3 max-lg:text-center max-lg:text-[0.9rem] lg:block lg:border-l-4 lg:px-3.5",
                  here ? "border-rope font-bold text-ink" : "border-transparent text-quiet hover:text-ink",
                  at >= IN_BAR && "max-lg:hidden",
                )}
              >
                <StationName name={name} />
              </Link>
            );
          })}
          <button
            type="button"
            className={clsx(
              "grow border-t-4 px-1 py-3 text-[0.9rem] lg:hidden",
              STATIONS.slice(IN_BAR).some(({ href }) => isHere(href, path))
                ? "border-rope font-bold text-ink"
                : "border-transparent text-quiet",
            )}
            aria-haspopup="dialog"
            onClick={() => setMoreOpen(true)}
          >
            More
          </button>
        </div>
      </nav>
      <div className="min-w-0">
        <header className="print:hidden flex flex-wrap items-center gap-x-4 gap-y-2 border-line border-b px-5 py-2">
          <search className="flex min-w-64 flex-1 gap-2">
            <form onSubmit={find} aria-busy={!ready} className="min-w-0 max-w-xl flex-1">
              <label className="sr-only" htmlFor="find">
                Tag, serial or name
              </label>
              <input
                ref={field}
                id="find"
                name="q"
                type="search"
                autoComplete="off"
                placeholder="Scan or type a tag, a serial, a name   ( / )"
                className="field"
              />
            </form>
            <ScanButton />
          </search>
          <div className="flex items-center gap-4 max-sm:hidden">{own}</div>
        </header>
        {person.role === "reader" && (
          <p className="border-line border-b bg-sunk px-5 py-1.5 text-[0.9rem] print:hidden">
            You read everything. Changes need the role technician: ask an administrator.
          </p>
        )}
        <main id="main" className="px-5 py-4 print:p-0">
          {children}
        </main>
      </div>
      {moreOpen && (
        <MoreDialog path={path} onClose={() => setMoreOpen(false)}>
          {own}
        </MoreDialog>
      )}
      <KeysDialog open={keysOpen} onClose={() => setKeysOpen(false)} stations={STATIONS} />
    </div>
  );
}

/** A station's name; while its page is on the way it says so. Pages come whole, so that what is missing is a 404. */
function StationName({ name }: { name: string }) {
  const { pending } = useLinkStatus();
  return (
    <span className={clsx(pending && "animate-pulse underline decoration-2 decoration-rope underline-offset-4")}>
      {name}
    </span>
  );
}

function isHere(href: string, path: string): boolean {
  if (href === "/") return path === "/";
  return [href, ...(ALSO_OF[href] ?? [])].some((start) => path === start || path.startsWith(`${start}/`));
}

/** On a narrow screen: the stations that have no room in the bar, and what is this person's own. */
function MoreDialog({ path, onClose, children }: { path: string; onClose: () => void; children: ReactNode }) {
  return (
    <Dialog open onClose={onClose} className="relative z-40 lg:hidden">
      <div className="fixed inset-0 bg-ink/40" aria-hidden="true" />
      <DialogPanel className="fixed inset-x-0 bottom-0 border-line border-t bg-sheet px-5 pt-3 pb-5">
        <DialogTitle className="sr-only">More</DialogTitle>
        <ul className="grid grid-cols-2 gap-x-4">
          {STATIONS.slice(IN_BAR).map(({ href, name }) => (
            <li key={href}>
              <Link
                prefetch={false}
                href={href}
                aria-current={isHere(href, path) ? "page" : undefined}
                className={clsx("block py-3 no-underline", isHere(href, path) && "font-bold")}
                onClick={onClose}
              >
                {name}
              </Link>
            </li>
          ))}
        </ul>
        <div className="mt-2 flex flex-wrap items-center gap-4 border-line border-t pt-3">{children}</div>
      </DialogPanel>
    </Dialog>
  );
}

/** Moves the focus along the links of the list on the page. */
function moveInList(event: KeyboardEvent): void {
  const items = [...document.querySelectorAll<HTMLElement>("[data-list] [data-item]")];
  if (items.length === 0) return;
  const at = items.findIndex((item) => item === document.activeElement || item.getAttribute("aria-current") === "true");
  const focused = items.indexOf(document.activeElement as HTMLElement);
  const from = focused >= 0 ? focused : at;
  const next = items[Math.max(0, Math.min(items.length - 1, from + (event.key === "ArrowDown" ? 1 : -1)))];
  if (!next) return;
  event.preventDefault();
  next.focus();
}
