"use client";

import clsx from "clsx";
import { useEffect, useMemo, useState } from "react";
import { type Running, useReader } from "@/app/_reading/use-reader";
import { type FolderItem, folderItems, type ListedVolume, type Listing } from "@/core/medium/volumes/listing";
import { fileSystemText } from "@/core/words/firmware";
import { volumeText } from "@/core/words/trees";
import { visible } from "@/core/words/visible";
import type { Dropped } from "@/workers/dropped";
import { FolderView } from "./folder-view";

/** The trees of a dropped file, to walk through and to take files out of. */
export function InsideView({
  file,
  state,
  onCancel,
}: {
  file: Dropped;
  state: Running<{ listing: Listing }>;
  onCancel: () => void;
}) {
  /** A file of the medium that holds files itself, and the volume it is on. */
  const [inside, setInside] = useState<{ volume: ListedVolume; path: string } | null>(null);
  const inner = useReader("listed");

  if (state.step === "running")
    return (
      <p>
        Listing files …{" "}
        <button type="button" className="act" onClick={onCancel}>
          Cancel
        </button>
      </p>
    );
  if (state.step === "failed") return <p role="alert">{state.problem}</p>;
  if (state.step === "cancelled") return <p>Cancelled. Drop the file again to list its files.</p>;
  if (state.step !== "done") return null;
  const leave = () => {
    inner.cancel();
    setInside(null);
  };
  return (
    <div>
      <div className={inside ? "hidden" : undefined}>
        <Volumes
          file={file}
          volumes={state.value.listing.volumes}
          pathOf={(volume, path) => ({ volume: volume.id, path })}
          onEnter={(volume, item) => {
            setInside({ volume, path: item.path });
            inner.start({ kind: "list", file, inside: { volume: volume.id, path: item.path } });
          }}
        />
      </div>
      {inside && (
        <section aria-label={`Inside ${visible(inside.path, 120)}`}>
          <p className="mb-3">
            <button type="button" className="link" onClick={leave}>
              Back to {volumeText(inside.volume.id as never)}
            </button>
            <span className="text-quiet"> · inside </span>
            <strong>{visible(inside.path, 200)}</strong>
          </p>
          {inner.state.step === "running" && <p aria-live="polite">Listing files …</p>}
          {inner.state.step === "failed" && <p role="alert">{inner.state.problem}</p>}
          {inner.state.step === "done" && (
            <Volumes
              file={file}
              wholeName={inside.path.slice(inside.path.lastIndexOf("/") + 1)}
              volumes={inner.state.value.listing.volumes}
              pathOf={(volume, path) => ({
                volume: inside.volume.id,
                path: `${inside.path}${imageOf(volume)}${path}`,
              })}
            />
          )}
        </section>
      )}
    </div>
  );
}

/** What stands in a path between an archive and a file in one of its images. */
const imageOf = ({ id }: ListedVolume) => (String(id).startsWith("wim:") ? `/${String(id).slice(4)}` : "");

function Volumes({
  file,
  volumes,
  pathOf,
  onEnter,
  wholeName = volumeText("whole"),
}: {
  file: Dropped;
  volumes: ListedVolume[];
  /** What a volume is called that has neither a label nor others beside it. */
  wholeName?: string;
  /** Where a file is on the medium. */
  pathOf: (volume: ListedVolume, path: string) => { volume: string | number; path: string };
  onEnter?: (volume: ListedVolume, item: FolderItem) => void;
}) {
  const [chosen, setChosen] = useState(0);
  const [path, setPath] = useState("");
  const extract = useReader("extracted");
  const [taken, setTaken] = useState<FolderItem | null>(null);
  const volume = volumes[chosen] ?? volumes[0] ?? null;
  const items = useMemo(() => (volume ? folderItems(volume, path) : []), [volume, path]);

  const extracted = extract.state.step === "done" ? extract.state.value.content : null;
  useEffect(() => {
    if (!extracted || !taken) return;
    const url = URL.createObjectURL(extracted);
    const link = document.createElement("a");
    link.href = url;
    link.download = safeFileName(taken.name);
    link.click();
    setTimeout(() => URL.revokeObjectURL(url), 60_000);
    setTaken(null);
  }, [extracted, taken]);

  if (!volume) return <p>No readable file system found.</p>;
  return (
    <div>
      {volumes.length > 1 && (
        <div className="mb-3 flex flex-wrap gap-2">
          {volumes.map((each, index) => (
            <button
              key={String(each.id)}
              type="button"
              aria-pressed={each === volume}
              className={clsx("act", each === volume && "bg-rope-soft")}
              onClick={() => {
                setChosen(index);
                setPath("");
              }}
            >
              {volumeText(each.id as never)}
              {typeof each.id === "number" && `, ${fileSystemText(each.kind)}`}
            </button>
          ))}
        </div>
      )}
      <FolderView
        items={items}
        path={path}
        volumeName={visible(volume.label || (volume.id === "whole" ? wholeName : volumeText(volume.id as never)), 60)}
        onOpen={setPath}
        cut={volume.cut}
        {...(onEnter ? { onEnter: (item: FolderItem) => onEnter(volume, item) } : {})}
        onTake={(item) => {
          setTaken(item);
          extract.start({ kind: "extract", file, ...pathOf(volume, item.path) });
        }}
      />
      <p aria-live="polite" className="mt-2">
        {extract.state.step === "running" && `Saving ${visible(taken?.name ?? "", 80)} …`}
        {extract.state.step === "failed" && <span className="text-plum">{extract.state.problem}</span>}
      </p>
    </div>
  );
}

/** A name from a medium as a name on this computer: no folders, no marks that change how it reads. */
function safeFileName(name: string): string {
  const clean = name.replace(/[\p{Cc}\p{Cf}/\\:*?"<>|]/gu, "_").replace(/^\.+/, "_");
  return clean.slice(-200) || "file";
}
