import { startPathsOf } from "@/core/medium/inspection/start-paths";
import { capacityText, deviceFaultText, deviceKindText, trustText } from "@/core/words/bench";
import { bytesText } from "@/core/words/sizes";
import { visible } from "@/core/words/visible";
import { type Berth, listBerths } from "@/server/bench/berths";
import { withInventory } from "./inventory";

/** Lists the berths of the bench with what is in them; with `json`, one object a line. */
export function runBerths(options: { json?: boolean }): Promise<void> {
  return withInventory(undefined, async (context) => {
    const berths = await listBerths(context);
    for (const berth of berths)
      process.stdout.write(`${options.json ? JSON.stringify(asLine(berth)) : asText(berth)}\n`);
    if (berths.length === 0 && !options.json) process.stdout.write("No berth is set up.\n");
  });
}

function asLine({ name, accepts, device, jobId }: Berth): object {
  return {
    berth: name,
    accepts,
    job: jobId,
    device: device && {
      kind: device.row.kind,
      model: device.row.model,
      serial: device.row.serial,
      bytes: device.row.bytes,
      sectorBytes: device.row.sectorBytes,
      isStore: device.row.isStore,
      medium: device.medium?.tag ?? null,
      starts: device.look.inspection ? startPathsOf(device.look.inspection).length : null,
      fault: device.look.fault,
      trust: device.trust.verdict,
      alike: device.alike,
      onlyRouteOf: device.loss.onlyRouteOf,
      images: device.loss.images,
    },
  };
}

function asText({ name, device, jobId }: Berth): string {
  if (!device) return `${name.padEnd(12)} empty`;
  const { row, medium, look, trust, loss } = device;
  const parts = [
    `${name.padEnd(12)} ${bytesText(row.bytes)} ${visible(row.model)}, ${deviceKindText(row.kind)}`,
    row.serial === null ? "without a serial" : `serial ${visible(row.serial)}`,
    ...(medium ? [`is ${visible(medium.tag)}`] : []),
    ...(row.isStore ? ["receives images"] : []),
    ...(look.fault ? [deviceFaultText(look.fault)] : []),
    ...(row.testResult && row.testResult.state !== "sound" ? [capacityText(row.testResult)] : []),
    ...trust.reasons.map(trustText),
    ...(loss.onlyRouteOf.length > 0 ? [`the only route of ${loss.onlyRouteOf.length}`] : []),
    ...(jobId === null ? [] : [`job ${jobId} holds it`]),
  ];
  return parts.join("; ");
}
