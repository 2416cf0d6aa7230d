"use client";

import clsx from "clsx";
import { type Accept, useDropzone } from "react-dropzone";

interface DropFieldProps {
  text: string;
  onFile: (file: File) => void;
  accept?: Accept;
  disabled?: boolean;
}

/** A place to drop one file, or to choose it with the keyboard. The file is handed over, not uploaded. */
export function DropField({ text, onFile, accept, disabled = false }: DropFieldProps) {
  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    ...(accept ? { accept } : {}),
    disabled,
    multiple: false,
    // The button opens the chooser; the area around it only takes drops.
    noClick: true,
    noKeyboard: true,
    onDrop: (files) => {
      const [file] = files;
      if (file) onFile(file);
    },
    onDropRejected: (rejections) => {
      const [rejected] = rejections;
      // Let the reader say what is wrong with it: an unusual name is no reason to turn a file away.
      if (rejected) onFile(rejected.file);
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
      <input {...getInputProps({ "aria-label": text })} />
      <span>{text}</span>
      <button type="button" className="act" disabled={disabled} onClick={open}>
        Choose a file
      </button>
    </div>
  );
}
