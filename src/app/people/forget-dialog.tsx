"use client";

import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";

/** Says what goes and what stays before somebody's name is removed for good. */
export function ForgetDialog({
  name,
  onConfirm,
  onClose,
}: {
  name: string;
  onConfirm: () => void;
  onClose: () => void;
}) {
  return (
    <Dialog open onClose={onClose} className="relative z-40">
      <div className="fixed inset-0 bg-ink/40" aria-hidden="true" />
      <div className="fixed inset-0 grid place-items-center p-4">
        <DialogPanel className="max-h-full w-full max-w-md overflow-y-auto border border-line bg-sheet p-5">
          <DialogTitle className="font-bold text-lg">Remove the personal data of {name}?</DialogTitle>
          <p className="mt-1">
            Removed for good: name, mail addresses, account. What was done stays, under a number. Notes that name {name}{" "}
            stay: edit them yourself. Backups keep the name until they expire.
          </p>
          <div className="flex gap-2 pt-4">
            <button type="button" className="act-main" onClick={onConfirm}>
              Remove personal data
            </button>
            <button type="button" className="act" onClick={onClose}>
              Cancel
            </button>
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
