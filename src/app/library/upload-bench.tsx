"use client";

import { useRouter } from "next/navigation";
import { useCallback, useState } from "react";
import { visible } from "@/core/words/visible";
import { DropField } from "@/ui/drop-field";
import { useReady } from "@/ui/use-ready";
import { UploadRow, type Wanted } from "./upload-row";

interface Props {
  /** Files that releases were read from and that are not in the library. */
  wanted: Wanted[];
  there: { name: string; bytes: number }[];
}

interface Dropped {
  key: number;
  file: File;
  wanted: Wanted;
}

/** Which missing file a dropped one is: by its size, and by its name where several have that size. */
function wantedFor(file: File, wanted: Wanted[]): Wanted | null {
  const same = wanted.filter(({ bytes }) => bytes === file.size);
  return same.find(({ name }) => name === file.name) ?? same[0] ?? null;
}

/** Takes files of releases to the server, several at once, and goes on where one stopped. */
export function UploadBench({ wanted, there }: Props) {
  const router = useRouter();
  const ready = useReady();
  const [dropped, setDropped] = useState<Dropped[]>([]);
  const [unknown, setUnknown] = useState<string[]>([]);
  const take = (files: File[]) => {
    const found = files.map((file) => ({ file, wanted: wantedFor(file, wanted) }));
    setUnknown(
      found
        .filter((each) => each.wanted === null)
        .map(({ file }) =>
          there.some(({ name, bytes }) => name === file.name && bytes === file.size)
            ? `${visible(file.name, 80)} is in the library already.`
            : `${visible(file.name, 80)} is no file that a recorded release was read from. Read it under “Read a file” first.`,
        ),
    );
    setDropped((before) => [
      ...before,
      ...found.flatMap(({ file, wanted: own }, at) =>
        own && !before.some((each) => each.wanted.releaseId === own.releaseId)
          ? [{ key: before.length + at, file, wanted: own }]
          : [],
      ),
    ]);
  };
  const over = useCallback(
    (key: number) => {
      setDropped((before) => before.filter((each) => each.key !== key));
      router.refresh();
    },
    [router],
  );
  return (
    <div aria-busy={!ready} className="space-y-2">
      <DropField multiple text="Drop files of releases here to send them to the server." onFiles={take} />
      {unknown.map((text) => (
        <p key={text} role="alert">
          {text}
        </p>
      ))}
      {dropped.map(({ key, file, wanted: own }) => (
        <UploadRow key={key} file={file} wanted={own} onOver={() => over(key)} />
      ))}
    </div>
  );
}
