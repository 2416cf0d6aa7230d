// Writes some media and computers of the demo to samples/, for dropping into Creel or for the command line.
import { copyFileSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { IMAGES } from "./demo/images";
import { factsOf, MACHINES } from "./demo/skerry-line";
import { Workshop } from "./media/workshop";

const target = "samples";
const folder = mkdtempSync(join(tmpdir(), "creel-samples-"));
mkdirSync(target, { recursive: true });
try {
  const workshop = new Workshop(folder);
  for (const image of [
    IMAGES.bollard5,
    IMAGES.bollard4,
    IMAGES.spindleDisc,
    IMAGES.spindle3,
    IMAGES.lantern12Worn,
    IMAGES.bollardCut,
  ]) {
    copyFileSync(image.make(workshop), join(target, image.file));
    console.log(join(target, image.file));
  }
  for (const tag of ["HO-004", "NP-K1", "PE-E1", "NP-T1"]) {
    const index = MACHINES.findIndex((machine) => machine.tag === tag);
    const file = join(target, `${tag}.facts.json`);
    writeFileSync(file, `${JSON.stringify(factsOf(MACHINES[index] as (typeof MACHINES)[number], index), null, 2)}\n`);
    console.log(file);
  }
} finally {
  rmSync(folder, { recursive: true, force: true });
}
