import { factsSchema } from "@/core/computer/facts/schema";
import type { World } from "@/core/fleet/world";
import { inspect } from "@/core/medium/inspection/inspect";
import { IMAGES } from "../../scripts/demo/images";
import { allowing } from "../../scripts/demo/signers";
import type { Workshop } from "../../scripts/media/workshop";
import { dice } from "./dice";
import { randomWorld } from "./fleet";
import { memory } from "./workshop";

/** Two computers that allow both of a maker's authorities, one that allows only the older; media signed by them. */
export async function signedWorld(w: Workshop): Promise<World> {
  const base = randomWorld(dice(3), 1, 1);
  const computer = (tag: string, db: string) => ({
    tag,
    site: "Head office",
    facts: factsSchema.parse({
      schema: "creel.facts/1",
      computer: { make: "Corvane", model: "Slate 14" },
      firmware: {
        kind: "uefi",
        arch: "x64",
        legacyMode: "absent",
        secureBoot: { state: "on", db, dbx: "", sbatLevel: "" },
      },
      systems: [{ family: "windows", name: "Gannet Desk", version: "11.4" }],
      disks: [{ name: "sda", bytes: 500e9, sectorBytes: 512, partitions: [] }],
    }),
  });
  const media = await Promise.all(
    (["lantern11", "lantern12"] as const).map(async (name) => {
      const { inspection } = await inspect(memory(IMAGES[name].make(w)), { name });
      const [own] = base.media;
      if (!own) throw new Error("no medium");
      const part = {
        ...own.part,
        tag: name,
        site: "Head office",
        lentTo: null,
        condition: "good" as const,
        verified: null,
      };
      const releases = base.releases.filter(({ part: { name: release } }) => release === "Lantern 12");
      return {
        ...own,
        part,
        as: "usb" as const,
        views: { key: name, views: inspection.views },
        releases: releases.map((each) => each.part),
      };
    }),
  );
  return {
    ...base,
    images: [],
    drills: [],
    computers: [
      computer("BOTH-1", allowing("norlight2011", "norlight2023")),
      computer("BOTH-2", allowing("norlight2011", "norlight2023")),
      computer("OLD-1", allowing("norlight2011")),
    ],
    media,
  };
}
