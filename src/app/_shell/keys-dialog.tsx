"use client";

import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { usePathname } from "next/navigation";
import { pageText } from "@/core/words/pages";

interface KeysDialogProps {
  open: boolean;
  onClose: () => void;
  stations: readonly { name: string; key: string }[];
}

export function KeysDialog({ open, onClose, stations }: KeysDialogProps) {
  const page = pageText(usePathname());
  const keys: [string, string][] = [
    ["/", "Search: a tag, a serial, a name"],
    ...stations.map(({ name, key }): [string, string] => [key, name]),
    ["↓ ↑", "Move along the list"],
    ["Enter", "Open the focused entry"],
    ["x", "Select a row; with Shift, all rows up to it"],
    ["Esc", "Leave a field or this window"],
    ["?", "Explain this page and the keys"],
  ];
  return (
    <Dialog open={open} onClose={onClose} className="relative z-50">
      <div className="fixed inset-0 bg-ink/40" aria-hidden="true" />
      <div className="fixed inset-0 grid place-items-center p-6">
        <DialogPanel className="w-full max-w-md border border-line bg-sheet p-6">
          {page && (
            <>
              <h2>This page</h2>
              <p className="mt-1 mb-5">{page}</p>
            </>
          )}
          <DialogTitle className="font-bold text-lg">Keys</DialogTitle>
          <dl className="mt-3 grid grid-cols-[5rem_1fr] gap-y-1.5">
            {keys.map(([key, text]) => (
              <div key={text} className="contents">
                <dt>
                  <kbd className="code rounded-sm border border-line bg-sunk px-1.5">{key}</kbd>
                </dt>
                <dd>{text}</dd>
              </div>
            ))}
          </dl>
          <button type="button" className="act mt-5" onClick={onClose}>
            Close
          </button>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
