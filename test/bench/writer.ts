import { blocksOf } from "@/core/making/writing/blocks";
import { writeMedium } from "@/core/making/writing/write-medium";
import { FileJournal } from "@/server/devices/journal";
import { openSimulated } from "@/server/devices/simulated";
import { layoutOf } from "../support/bench-layout";

/** A process that writes a layout to a simulated device, to be killed: `writer.ts DEVICE JOURNAL SEED`. */
async function main([device = "", journalFolder = "", seed = "0"]: string[]): Promise<void> {
  const layout = layoutOf(Number(seed));
  const journal = await FileJournal.open(journalFolder, blocksOf(layout).length);
  process.stdout.write("begun\n");
  const result = await writeMedium({
    device: await openSimulated(device, { write: true }),
    layout,
    journal,
    checkpointBytes: 4 << 20,
    onProgress: ({ phase }) => process.stdout.write(`${phase}\n`),
  });
  process.stdout.write(`${JSON.stringify(result)}\n`);
}

void main(process.argv.slice(2));
