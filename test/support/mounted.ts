import { mkdirSync } from "node:fs";
import { run } from "../../scripts/media/workshop";

/**
 * Does something in a volume that this machine's own kernel has mounted: what only works there (compression, subvolumes,
 * installers that ask where a file's blocks are).
 */
export function mounted(image: string, options: string, work: (folder: string) => void): void {
  const folder = `${image}.mounted`;
  mkdirSync(folder, { recursive: true });
  run("mount", ["-o", ["loop", options].filter(Boolean).join(","), image, folder]);
  try {
    work(folder);
  } finally {
    run("umount", [folder]);
  }
}

/** Whether this machine lets anybody mount images: as root, with loop devices. */
export function mayMount(image: string): boolean {
  try {
    mounted(image, "", () => {});
    return true;
  } catch {
    return false;
  }
}
