import { type ByteSource, rangesOn } from "../kernel/source";
import { readSigning, type Signing } from "./authenticode";
import type { PeImage } from "./pe";

/** Reads signatures of programs of one medium, of each once: a program is read whole for its digest. */
export class SigningReader {
  private readonly byPlace = new Map<string, Promise<Signing>>();
  constructor(private readonly medium: ByteSource) {}

  /** Whether it was read already. */
  has(content: ByteSource): boolean {
    const place = this.placeOf(content);
    return place !== null && this.byPlace.has(place);
  }

  read(content: ByteSource, image: PeImage): Promise<Signing> {
    const place = this.placeOf(content);
    const kept = place === null ? undefined : this.byPlace.get(place);
    if (kept) return kept;
    const signing = readSigning(content, image);
    if (place !== null) this.byPlace.set(place, signing);
    return signing;
  }

  /** Where it lies on the medium; null where it does not lie there as it is. */
  private placeOf(content: ByteSource): string | null {
    const ranges = rangesOn(this.medium, content);
    const bytes = ranges?.reduce((sum, { lengthBytes }) => sum + lengthBytes, 0);
    if (!ranges || bytes !== content.sizeBytes) return null;
    return ranges.map(({ start, lengthBytes }) => `${start}+${lengthBytes}`).join(" ");
  }
}
