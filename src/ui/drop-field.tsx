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
  const { getRootProps, getInputProps, isDragActive } = useDropzone({
    ...(accept ? { accept } : {}),
    disabled,
    multiple: false,
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
        role: "button",
        "aria-label": text,
        className: clsx(
          "cursor-pointer border-2 border-dashed px-4 py-5 text-center",
          isDragActive ? "border-rope bg-rope-soft" : "border-line bg-sheet",
          disabled && "opacity-50",
        ),
      })}
    >
      <input {...getInputProps()} />
      <span>{text}</span>
    </div>
  );
}
