import clsx from "clsx";
import { bytesText } from "@/core/words/sizes";

export interface StripPart {
  key: string;
  /** Bytes from the start of the whole. */
  start: number;
  bytes: number;
  title: string;
  /** start-up, system, recovery, data, table, or free: told apart by pattern as well as by colour. */
  tone: "start" | "system" | "recovery" | "data" | "other";
}

const TONES: Record<StripPart["tone"], string> = {
  start: "bg-sea text-sheet border-sea",
  system: "bg-rope-soft text-ink border-rope",
  recovery: "bg-plum-soft text-ink border-plum",
  data: "bg-slate-soft text-ink border-slate",
  other: "bg-sheet text-ink border-line",
};

/** Parts narrower than this share of the strip get their text in the list below only. */
const TEXT_FROM = 0.09;

/**
 * A disk, medium or image to scale. `scaleBytes` is what the full width stands for, so that several strips under
 * each other compare; free space is hatched.
 */
export function Strip({
  bytes,
  parts,
  scaleBytes = bytes,
  label,
}: {
  bytes: number;
  parts: StripPart[];
  scaleBytes?: number;
  label: string;
}) {
  const share = (value: number) => `${(Math.max(0, value) / Math.max(1, bytes)) * 100}%`;
  return (
    <div
      role="img"
      aria-label={`${label}: ${parts.map((part) => `${part.title} ${bytesText(part.bytes)}`).join(", ") || "empty"}`}
      className="w-full"
    >
      <div
        className="hatched relative h-9 overflow-hidden rounded-sm border border-quiet bg-sunk"
        style={{ width: `${Math.max(2, Math.min(100, (bytes / Math.max(1, scaleBytes)) * 100))}%` }}
      >
        {parts.map((part) => (
          <div
            key={part.key}
            title={`${part.title}, ${bytesText(part.bytes)}`}
            className={clsx(
              "absolute inset-y-0 min-w-[3px] overflow-hidden border-x px-1.5 text-[0.75rem] leading-4 whitespace-nowrap",
              TONES[part.tone],
            )}
            style={{ left: share(part.start), width: share(Math.min(part.bytes, bytes - part.start)) }}
          >
            {part.bytes / Math.max(1, bytes) >= TEXT_FROM && (
              <>
                <div className="mt-0.5 truncate font-semibold">{part.title}</div>
                <div className="truncate">{bytesText(part.bytes)}</div>
              </>
            )}
          </div>
        ))}
      </div>
    </div>
  );
}
