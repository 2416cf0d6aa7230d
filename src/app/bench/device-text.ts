import { startPathsOf } from "@/core/medium/inspection/start-paths";
import { deviceFaultText, deviceKindText } from "@/core/words/bench";
import { bytesText } from "@/core/words/sizes";
import type { BerthDevice } from "@/server/bench/berths";
import { dateText, plural } from "@/ui/words";

/** What stands on a device, in a sentence. */
export function contentText({ look, medium, row, isUnread }: BerthDevice): string {
  if (look.fault) return deviceFaultText(look.fault);
  if (row.isStore) return "Receives images: never written to as a whole.";
  if (medium) return `It is ${medium.tag}${medium.name ? `, ${medium.name}` : ""}.`;
  const { inspection, pack } = look;
  if (pack)
    return `It says that it is ${pack.medium.tag}, made of ${pack.release.kit} ${pack.release.name} on ${dateText(pack.madeAt)}. No such medium is registered.`;
  if (isUnread) return "Being read by its bench host.";
  if (!inspection) return "At work.";
  if (inspection.container === "unknown") return "Content not recognised.";
  const labels = inspection.partitions.flatMap(({ label }) => label ?? []);
  const named = inspection.contents.label ? [inspection.contents.label] : labels;
  const ways = startPathsOf(inspection).length;
  return `It holds something${named.length > 0 ? ` called ${named.slice(0, 3).join(", ")}` : ""}${ways > 0 ? `, with ${plural(ways, "boot path")}` : ""}.`;
}

/** What it went through. */
export function wearText({ row }: Pick<BerthDevice, "row">): string | null {
  const parts: string[] = [];
  if (row.timesWritten > 0)
    parts.push(`Written ${plural(row.timesWritten, "time")}, ${bytesText(row.bytesWritten)} in all`);
  if (row.writeRate && row.readRate)
    parts.push(`${bytesText(row.writeRate)}/s writing, ${bytesText(row.readRate)}/s reading`);
  return parts.length > 0 ? `${parts.join("; ")}.` : null;
}

export function deviceTitle({ row }: Pick<BerthDevice, "row">): string {
  return `${row.model}, ${deviceKindText(row.kind)}`;
}
