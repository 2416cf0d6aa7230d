"use client";

import clsx from "clsx";
import { useRef } from "react";
import { type Accept, useDropzone } from "react-dropzone";

interface DropFieldProps {
  text: string;
  onFiles: (files: File[]) => void;
  /** Several at once. */
  multiple?: boolean;
  /** A folder with all its files, too: they come with their paths. */
  folders?: boolean;
  accept?: Accept;
  disabled?: boolean;
}

/** A place to drop files, or to choose them with the keyboard. They are handed over, not uploaded. */
export function DropField({
  text,
  onFiles,
  accept,
  multiple = false,
  folders = false,
  disabled = false,
}: DropFieldProps) {
  const chooser = useRef<HTMLInputElement>(null);
  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    ...(accept ? { accept } : {}),
    disabled,
    multiple: multiple || folders,
    // The button opens the chooser; the area around it only takes drops.
    noClick: true,
    noKeyboard: true,
    // Let the reader say what is wrong with a file: an unusual name is no reason to turn it away.
    onDrop: (files, rejections) => {
      const all = [...files, ...rejections.map((rejection) => rejection.file)];
      if (all.length > 0) onFiles(multiple || folders ? all : all.slice(0, 1));
    },
  });
  return (
    <div
      {...getRootProps({
        className: clsx(
          "flex flex-wrap items-center justify-center gap-x-4 gap-y-2 border-2 border-dashed px-4 py-4",
          isDragActive ? "border-rope bg-rope-soft" : "border-line bg-sheet",
          disabled && "opacity-50",
        ),
      })}
    >
      <input {...getInputProps({ "aria-label": text, multiple })} />
      <span>{text}</span>
      <button type="button" className="act" disabled={disabled} onClick={open}>
        {multiple ? "Choose files" : "Choose a file"}
      </button>
      {folders && (
        <>
          <input
            ref={chooser}
            type="file"
            className="hidden"
            aria-label="Choose a drive or folder"
            // An attribute of browsers that React does not name.
            {...{ webkitdirectory: "" }}
            onChange={(event) => {
              const files = [...(event.currentTarget.files ?? [])];
              event.currentTarget.value = "";
              if (files.length > 0) onFiles(files);
            }}
          />
          <button type="button" className="act" disabled={disabled} onClick={() => chooser.current?.click()}>
            Choose a drive
          </button>
        </>
      )}
    </div>
  );
}
