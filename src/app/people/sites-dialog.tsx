"use client";

import { type FormEvent, useState } from "react";
import { Modal } from "@/ui/modal";

interface Props {
  name: string;
  sites: { id: number; name: string }[];
  /** Those to which the account is held now; none: all. */
  held: number[];
  onSave: (sites: number[]) => void;
  onClose: () => void;
}

/** Chooses the sites at which somebody may change things. */
export function SitesDialog({ name, sites, held, onSave, onClose }: Props) {
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set(held));
  const turn = (id: number) => {
    const next = new Set(chosen);
    if (!next.delete(id)) next.add(id);
    setChosen(next);
  };
  const save = (event: FormEvent) => {
    event.preventDefault();
    onSave([...chosen]);
  };
  return (
    <Modal title={`Sites of ${name}`} onClose={onClose}>
      <p className="mt-1 text-quiet">
        {name} changes things at the ticked sites only, and still reads everything. No tick: all sites.
      </p>
      <form onSubmit={save} className="mt-3 space-y-1">
        {sites.map((site) => (
          <label key={site.id} className="flex items-center gap-2">
            <input type="checkbox" checked={chosen.has(site.id)} onChange={() => turn(site.id)} /> {site.name}
          </label>
        ))}
        <div className="flex gap-2 pt-3">
          <button type="submit" className="act-main">
            Save sites
          </button>
          <button type="button" className="act" onClick={onClose}>
            Cancel
          </button>
        </div>
      </form>
    </Modal>
  );
}
