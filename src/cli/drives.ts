import { survey, surveyBareFile } from "@/core/medium/contents/survey";
import { DriverIndex } from "@/core/medium/drivers/driver-set";
import { asModalias } from "@/core/medium/drivers/hardware-ids";
import { volumesInside } from "@/core/medium/volumes/unpacked";
import { visible } from "@/core/words/visible";
import { UsageError, withFile } from "./problems";

/** Says which driver on a medium claims each device, by its modalias or by "VENDOR:DEVICE" of its PCI ids. */
export function runDrives(file: string, modaliases: string[], options: { json?: boolean }): Promise<void> {
  return withFile(file, async (source) => {
    const wanted = modaliases.map(wantedModalias);
    const volumes = await volumesInside(source);
    // An archive by itself is what a medium starts, and not a folder of loose drivers.
    const { drivers, unread } = volumes.some(({ kind }) => kind === "wim")
      ? await surveyBareFile(source, source.name, { depth: "deep" })
      : await survey(volumes, { depth: "deep" });
    const index = new DriverIndex(drivers);
    const missing = unread.filter(({ why }) => why !== "later");
    for (const file of missing)
      process.stderr.write(
        `creel: ${visible(file.path)} could not be read to its end: its drivers may be missing here\n`,
      );
    for (const [position, modalias] of wanted.entries()) {
      const claimants = index.claimants(modalias);
      const first = claimants[0];
      if (options.json) {
        const from = first ? { pattern: first.pattern, list: first.source.path } : {};
        const all = claimants.map((each) => each.driver);
        // Where nothing claims it, what was not read may have its driver.
        const open = first ? {} : { lists: drivers.length, unread: missing.map(({ path, why }) => ({ path, why })) };
        const answer = {
          modalias: modaliases[position],
          driver: first?.driver ?? null,
          drivers: all,
          ...from,
          ...open,
        };
        process.stdout.write(`${JSON.stringify(answer)}\n`);
      } else {
        const told = claimants.map((each) => `${visible(each.driver)} (${visible(each.source.path)})`).join(", ");
        const isOpen = missing.length > 0 || drivers.length === 0;
        const none = isOpen ? "unknown: not all driver lists were read" : "no driver on this medium claims it";
        process.stdout.write(`${visible(modaliases[position] as string)}  ${told || none}\n`);
      }
    }
    if (drivers.length === 0)
      process.stderr.write(
        `creel: ${visible(file)}: no list of drivers was found on it, so nothing can be said for sure\n`,
      );
  });
}

function wantedModalias(text: string): string {
  const modalias = asModalias(text);
  if (modalias === null)
    throw new UsageError(`"${visible(text)}" is neither a modalias (pci:v0000…) nor PCI ids (8086:a282)`);
  return modalias;
}
