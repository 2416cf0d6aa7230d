import type { Ability, Purpose, ReleaseFacts } from "../medium/releases/facts";

const PURPOSE: Record<Purpose, string> = {
  "start-up-repair": "repairs the start-up",
  "put-back-images": "restores images",
  reinstall: "reinstalls systems",
  "file-rescue": "rescues files",
  "partition-repair": "repairs partitions",
  network: "reaches the network",
  "remote-help": "allows remote help",
  "factory-state": "restores the factory state",
  "copy-disks": "copies a disk onto another",
};

/** What a release can do, without a capital. */
export function purposeText(purpose: Purpose): string {
  return PURPOSE[purpose];
}

const ABILITY: Record<Ability, string> = {
  "hardware-move": "adapts images to other hardware",
  "mode-conversion": "changes images between BIOS and UEFI",
  "sector-conversion": "changes images to other sector sizes",
  "single-partitions": "restores single partitions of an image",
};

/** Abilities with images from elsewhere, without a capital. */
export function abilityText(ability: Ability): string {
  return ABILITY[ability];
}

/** "Puts images back (of Lantern up to 12), rescues files." Empty where nothing is recorded. */
export function releaseFactsText({ purposes, opens, abilities, factoryOf }: ReleaseFacts): string {
  const images = opens.map(({ kit, upTo }) => (upTo ? `${kit} up to ${upTo}` : kit)).join(", ");
  const parts = purposes.map((purpose) => {
    if (purpose === "put-back-images" && images) return `${PURPOSE[purpose]} of ${images}`;
    if (purpose === "factory-state" && factoryOf) return `${PURPOSE[purpose]} of ${factoryOf.make} ${factoryOf.model}`;
    return PURPOSE[purpose];
  });
  const text = [...parts, ...abilities.map(abilityText)].join(", ");
  return text ? `${text.charAt(0).toUpperCase()}${text.slice(1)}.` : "";
}
