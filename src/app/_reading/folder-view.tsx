"use client";

import { useVirtualizer } from "@tanstack/react-virtual";
import { Download, File as FileIcon, Folder } from "lucide-react";
import Link from "next/link";
import { useRef } from "react";
import { type FolderItem, mayHoldFiles } from "@/core/medium/volumes/listing";
import { bytesText } from "@/core/words/sizes";
import { unreadableText } from "@/core/words/trees";
import { visible } from "@/core/words/visible";
import { Size } from "@/ui/size";
import { Strip } from "@/ui/strip";
import { dateText, plural } from "@/ui/words";

interface FolderViewProps {
  items: FolderItem[];
  /** "" for the root. */
  path: string;
  volumeName: string;
  /** Address of the root, to which `at` is added; without it `onOpen` is called. */
  hrefBase?: string;
  onOpen?: (path: string) => void;
  /** Takes a file out; null where only the listing is kept. */
  onTake?: ((item: FolderItem) => void) | null;
  /** Goes into a file that holds files itself. */
  onEnter?: (item: FolderItem) => void;
  cut?: boolean;
}

const ROW_PX = 30;
/** Rows that stand on the page without further ado. */
const PLAIN_MAX = 120;
const SHOWN_IN_STRIP = 40;

/** A folder with its largest first, and where the room goes drawn to one scale. */
export function FolderView({
  items,
  path,
  volumeName,
  hrefBase,
  onOpen,
  onTake = null,
  onEnter,
  cut = false,
}: FolderViewProps) {
  const bytes = items.reduce((sum, item) => sum + item.bytes, 0);
  const files = items.reduce((sum, item) => sum + item.files, 0);
  const scroll = useRef<HTMLElement>(null);
  const rows = useVirtualizer({
    count: items.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => ROW_PX,
    overscan: 12,
  });
  let start = 0;
  const parts = items.slice(0, SHOWN_IN_STRIP).map((item) => {
    const part = {
      key: item.path,
      start,
      bytes: item.bytes,
      title: visible(item.name, 60),
      tone: item.folder ? ("system" as const) : ("data" as const),
    };
    start += item.bytes;
    return part;
  });
  if (items.length > SHOWN_IN_STRIP && bytes > start) {
    const title = `${items.length - SHOWN_IN_STRIP} smaller ones`;
    parts.push({ key: "/", start, bytes: bytes - start, title, tone: "data" });
  }
  const row = (item: FolderItem) => (
    <Row
      key={item.path}
      item={item}
      bytes={bytes}
      {...(hrefBase ? { hrefBase } : {})}
      {...(onOpen ? { onOpen } : {})}
      {...(onEnter ? { onEnter } : {})}
      onTake={onTake}
    />
  );
  return (
    <div>
      <Trail path={path} volumeName={volumeName} {...(hrefBase ? { hrefBase } : {})} {...(onOpen ? { onOpen } : {})} />
      <p className="mt-1 text-quiet">
        {plural(files, "file")}, <Size bytes={bytes} both />
        {cut && " · listing incomplete"}
      </p>
      {bytes > 0 && (
        <div className="mt-2">
          <Strip bytes={bytes} parts={parts} label={path || volumeName} />
        </div>
      )}
      {items.length === 0 && <p className="mt-3 text-quiet">Empty folder.</p>}
      <div className="mt-2 max-w-4xl border-line border-t text-[0.92rem]" data-list>
        {items.length <= PLAIN_MAX ? (
          items.map(row)
        ) : (
          <section
            ref={scroll}
            className="h-[34rem] overflow-y-auto"
            // biome-ignore lint/a11y/noNoninteractiveTabindex: a part that scrolls must be reached by the keyboard
            tabIndex={0}
            aria-label="Entries"
          >
            <div className="relative" style={{ height: rows.getTotalSize() }}>
              {rows.getVirtualItems().map(({ index, start: top }) => (
                <div key={index} className="absolute inset-x-0" style={{ top }}>
                  {row(items[index] as FolderItem)}
                </div>
              ))}
            </div>
          </section>
        )}
      </div>
    </div>
  );
}

function Trail({
  path,
  volumeName,
  hrefBase,
  onOpen,
}: Pick<FolderViewProps, "path" | "volumeName" | "hrefBase" | "onOpen">) {
  const parts = path.split("/").filter(Boolean);
  const steps = [
    { name: volumeName, path: "" },
    ...parts.map((name, index) => ({ name, path: `/${parts.slice(0, index + 1).join("/")}` })),
  ];
  return (
    <nav aria-label="Folder" className="flex flex-wrap gap-x-1.5">
      {steps.map((step, index) =>
        index === steps.length - 1 ? (
          <strong key={step.path}>{visible(step.name, 80)}</strong>
        ) : (
          <span key={step.path}>
            <Opener
              path={step.path}
              {...(hrefBase ? { hrefBase } : {})}
              {...(onOpen ? { onOpen } : {})}
              text={visible(step.name, 80)}
            />
            <span className="text-quiet"> /</span>
          </span>
        ),
      )}
    </nav>
  );
}

function Opener({
  path,
  hrefBase,
  onOpen,
  text,
}: Pick<FolderViewProps, "path" | "hrefBase" | "onOpen"> & { text: string }) {
  return hrefBase ? (
    <Link
      prefetch={false}
      className="link"
      href={path ? `${hrefBase}&${new URLSearchParams({ at: path })}` : hrefBase}
      scroll={false}
      data-item
    >
      {text}
    </Link>
  ) : (
    <button type="button" className="link" onClick={() => onOpen?.(path)} data-item>
      {text}
    </button>
  );
}

function Row({
  item,
  bytes,
  hrefBase,
  onOpen,
  onTake,
  onEnter,
}: Pick<FolderViewProps, "hrefBase" | "onOpen" | "onTake" | "onEnter"> & { item: FolderItem; bytes: number }) {
  const share = bytes > 0 ? (item.bytes / bytes) * 100 : 0;
  const Icon = item.folder ? Folder : FileIcon;
  return (
    <div
      className="grid grid-cols-[1.4rem_minmax(0,1fr)_7rem_6.5rem_7rem_2rem] max-sm:grid-cols-[1.4rem_minmax(0,1fr)_6.5rem_2rem] items-center gap-x-2 border-line border-b"
      style={{ height: ROW_PX }}
    >
      <Icon size={15} aria-hidden className={item.folder ? "text-rope" : "text-slate"} />
      <span className="truncate" title={visible(item.name, 400)}>
        {item.folder ? (
          <Opener
            path={item.path}
            {...(hrefBase ? { hrefBase } : {})}
            {...(onOpen ? { onOpen } : {})}
            text={visible(item.name, 160)}
          />
        ) : onEnter && item.special === null && mayHoldFiles(item.name) ? (
          <button
            type="button"
            className="link"
            title="Show the files inside it"
            onClick={() => onEnter(item)}
            data-item
          >
            {visible(item.name, 160)}
          </button>
        ) : (
          visible(item.name, 160)
        )}
        {item.special && (
          <span className="caption">
            {" "}
            {item.special.startsWith("→") ? visible(item.special, 80) : specialText(item.special)}
          </span>
        )}
      </span>
      <span aria-hidden className="h-2.5 border-line border-l max-sm:hidden">
        <span className="block h-full bg-rope" style={{ width: `${share}%`, minWidth: item.bytes > 0 ? 1 : 0 }} />
      </span>
      <span className="text-right tabular-nums">{bytesText(item.bytes)}</span>
      <span className="caption text-right max-sm:hidden">
        {item.folder ? plural(item.files, "file") : item.modified ? dateText(item.modified) : ""}
      </span>
      {onTake && !item.folder && item.special === null ? (
        <button
          type="button"
          className="text-rope"
          aria-label={`Save ${visible(item.name, 160)}`}
          title="Save this file"
          onClick={() => onTake(item)}
        >
          <Download size={16} aria-hidden />
        </button>
      ) : (
        <span />
      )}
    </div>
  );
}

function specialText(special: string): string {
  return unreadableText(special as Parameters<typeof unreadableText>[0]) ?? "";
}
