"use client";
import { useSearchParams } from "next/navigation";
import { useEffect, useMemo, useState } from "react";
import { ContentsView } from "@/app/_reading/contents-view";
import { DrivesView } from "@/app/_reading/drives-view";
import { InsideView } from "@/app/_reading/inside-view";
import { InspectionView } from "@/app/_reading/inspection-view";
import { keepRead } from "@/app/_reading/keep";
import { ProgramsView } from "@/app/_reading/programs-view";
import { RecognisedView } from "@/app/_reading/recognised-view";
import { useReader } from "@/app/_reading/use-reader";
import { WholeView } from "@/app/_reading/whole-view";
import type { Inspection } from "@/core/medium/inspection/schema";
import type { Purpose } from "@/core/medium/releases/facts";
import { bytesText } from "@/core/words/sizes";
import { visible } from "@/core/words/visible";
import { DropField } from "@/ui/drop-field";
import { Parts } from "@/ui/ways";
import { type Dropped, folderOf, isFolder } from "@/workers/dropped";
import { ReleaseForm, type ReleaseFormProps } from "../releases/release-form";

const SHOWS = [
  { key: "starts", name: "Starts" },
  { key: "signed", name: "Signed by" },
  { key: "holds", name: "Contents" },
  { key: "drives", name: "Drivers" },
  { key: "inside", name: "Files" },
  { key: "whole", name: "Integrity" },
  { key: "keep", name: "Save as release" },
] as const;
type Show = (typeof SHOWS)[number]["key"];

interface LookBenchProps extends Pick<ReleaseFormProps, "kits" | "others"> {
  today: string;
}

/** A file is dropped, read where it is, and everything that was found is shown; nothing is kept until asked. */
export function LookBench({ kits, others, today }: LookBenchProps) {
  const [file, setFile] = useState<Dropped | null>(null);
  const [digest, setDigest] = useState<string | null>(null);
  const quick = useReader("inspected", { warm: true });
  const deep = useReader("inspected");
  const list = useReader("listed");
  const wanted = useSearchParams().get("show");
  const show: Show = SHOWS.find((each) => each.key === wanted)?.key ?? "starts";

  const drop = (dropped: Dropped) => {
    setFile(dropped);
    setDigest(null);
    deep.reset();
    list.reset();
    quick.start({ kind: "inspect", file: dropped, depth: "quick" });
  };
  const quickDone = quick.state.step === "done";
  const [startDeep, startList] = [deep.start, list.start];
  useEffect(() => {
    if (!quickDone || !file) return;
    startDeep({ kind: "inspect", file, depth: "deep" });
    startList({ kind: "list", file });
  }, [quickDone, file, startDeep, startList]);

  const read = deep.state.step === "done" ? deep.state.value : quick.state.step === "done" ? quick.state.value : null;
  const inspection = useMemo(
    () => read && { ...read.inspection, file: { ...read.inspection.file, sha256: digest } },
    [read, digest],
  );
  const listing = list.state.step === "done" ? list.state.value.listing : null;
  const keep = async () => {
    if (!inspection || !read) return { ok: false as const, problem: "Still reading the file." };
    return keepRead({ inspection, listing, drivers: read.drivers });
  };

  return (
    <div>
      <DropField
        onFiles={(files) => {
          const dropped = folderOf(files) ?? files[0];
          if (dropped) drop(dropped);
        }}
        folders
        disabled={quick.state.step === "running"}
        text={
          file
            ? "Drop another file or drive here."
            : "Drop a file here, an ISO, a raw image of a stick or an archive of system images, or the drive of a plugged-in stick. It is read on this computer, not uploaded."
        }
      />
      {quick.state.step === "running" && <p className="mt-3">Reading {visible(file?.name ?? "", 80)} …</p>}
      {quick.state.step === "failed" && (
        <p role="alert" className="mt-3 border-plum border-l-4 bg-plum-soft px-3 py-2">
          {visible(file?.name ?? "", 80)}: {quick.state.problem}
        </p>
      )}
      {inspection && file && read && (
        <div className="mt-4">
          <h2 className="code text-[1.15rem] break-all">{visible(file.name, 160)}</h2>
          <p className="caption">
            {quick.state.step === "done" &&
              !isFolder(file) &&
              `${bytesText(quick.state.value.bytesRead)} of ${bytesText(file.size)} were read for a first look. `}
            {deep.state.step === "running" &&
              `Reading in depth${deep.state.at ? `: ${visible(deep.state.at, 80)}` : ""} …`}
            {deep.state.step === "failed" && `Reading in depth stopped: ${deep.state.problem}`}
            {deep.state.step === "done" && "Fully read."}
          </p>
          {isFolder(file) && <RecognisedView dropped={file} inspection={read.inspection} />}
          <Parts
            label="What was read"
            parts={SHOWS.filter(({ key }) => !isFolder(file) || (key !== "whole" && key !== "keep")).map(
              ({ key, name }) => ({ href: `?show=${key}`, name }),
            )}
            here={`?show=${show}`}
            replace
          />
          <div className="mt-4">
            {show === "starts" && <InspectionView inspection={inspection} />}
            {show === "signed" && <ProgramsView programs={inspection.programs} today={today} wide />}
            {show === "holds" && <ContentsView inspection={inspection} />}
            {show === "drives" && (
              <DrivesView drivers={read.drivers} isReading={deep.state.step === "running"} onCancel={deep.cancel} />
            )}
            {show === "inside" && <InsideView file={file} state={list.state} onCancel={list.cancel} />}
            {show === "whole" && !isFolder(file) && (
              <WholeView file={file} inspection={inspection} onDigest={setDigest} />
            )}
            {show === "keep" && !isFolder(file) && (
              <ReleaseForm
                opened={null}
                kits={kits}
                others={others}
                suggested={suggestionsFrom(inspection)}
                keep={keep}
              />
            )}
          </div>
        </div>
      )}
    </div>
  );
}

/** What a file says about itself, as a first filling of the form. */
function suggestionsFrom(inspection: Inspection): NonNullable<ReleaseFormProps["suggested"]> {
  const { contents, file } = inspection;
  const version = /(\d+(?:\.\d+)+|\d+)/.exec(file.name.replace(/\.\w+$/, ""))?.[1];
  const purposes: Purpose[] = [];
  if ((contents.systems ?? []).some((system) => system.role === "installs")) purposes.push("reinstall");
  return {
    ...(version ? { name: version } : {}),
    ...(contents.made ? { madeOn: contents.made.slice(0, 10) } : {}),
    purposes,
  };
}
