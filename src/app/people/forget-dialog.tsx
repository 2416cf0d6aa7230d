"use client";

import { Modal } from "@/ui/modal";

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
    <Modal title={`Remove the personal data of ${name}?`} onClose={onClose}>
      <p className="mt-1">
        Removed for good: name, mail addresses, account. Their acts stay in the records, under a number. Notes that name{" "}
        {name} stay: edit them yourself. Backups keep the name until they expire.
      </p>
      <div className="flex gap-2 pt-4">
        <button type="button" className="act-main" onClick={onConfirm}>
          Remove personal data
        </button>
        <button type="button" className="act" onClick={onClose}>
          Cancel
        </button>
      </div>
    </Modal>
  );
}
