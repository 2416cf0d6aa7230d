"use client";

import clsx from "clsx";
import { useEffect, useMemo, useState } from "react";
import { type Running, useReader } from "@/app/_reading/use-reader";
import { type FolderItem, folderItems, type Listing } from "@/core/medium/volumes/listing";
import { fileSystemText } from "@/core/words/firmware";
import { volumeText } from "@/core/words/trees";
import { visible } from "@/core/words/visible";
import { FolderView } from "./folder-view";

/** The trees of a dropped file, to walk through and to take files out of. */
export function InsideView({
  file,
  state,
  onCancel,
}: {
  file: File;
  state: Running<{ listing: Listing }>;
  onCancel: () => void;
}) {
  const [chosen, setChosen] = useState(0);
  const [path, setPath] = useState("");
  const extract = useReader("extracted");
  const [taken, setTaken] = useState<FolderItem | null>(null);
  const listing = state.step === "done" ? state.value.listing : null;
  const volume = listing?.volumes[chosen] ?? listing?.volumes[0] ?? null;
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
  if (!listing) return null;
  if (!volume) return <p>No readable file system found.</p>;
  return (
    <div>
      {listing.volumes.length > 1 && (
        <div className="mb-3 flex flex-wrap gap-2">
          {listing.volumes.map((each, index) => (
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
        volumeName={volume.label ? visible(volume.label, 60) : volumeText(volume.id as never)}
        onOpen={setPath}
        cut={volume.cut}
        onTake={(item) => {
          setTaken(item);
          extract.start({ kind: "extract", file, volume: volume.id, path: item.path });
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
