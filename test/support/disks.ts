import { run, type Workshop } from "../../scripts/media/workshop";

const MIB = 1 << 20;

/** Makes a volume of so many megabytes by `make`, and puts it into a disk, so many megabytes from its start. */
export function putVolume(
  w: Workshop,
  disk: string,
  startMib: number,
  mib: number,
  make: (image: string) => void,
): void {
  const image = w.blank("volume.img", mib);
  make(image);
  run("dd", [`if=${image}`, `of=${disk}`, "bs=1M", `seek=${startMib}`, "conv=notrunc"]);
}

/** A volume of a disk as a file of its own. */
export function volumeOf(disk: string, startMib: number, mib: number): string {
  const path = `${disk}.${startMib}`;
  run("dd", [`if=${disk}`, `of=${path}`, `bs=${MIB}`, `skip=${startMib}`, `count=${mib}`]);
  return path;
}
