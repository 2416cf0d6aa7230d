import { createHash } from "node:crypto";
import { LayoutSource } from "@/core/formats/pieces";
import type { PlanRequest } from "@/core/making/planning/plan";
import type { Context } from "../context";
import type { DeviceShape } from "../devices/device";
import { ok, type Result, refused } from "../problems";
import { openCarried } from "./carry";
import { roomFor } from "./makeable";
import { type MediumWish, openReleases, type PlanView, planFrom, planOn } from "./plans";

const MIB = 1 << 20;
const DISC_SECTOR_BYTES = 2048;
/** A stick to plan for where any size would do: what is written tells how small it can be. */
const ROOMY_BYTES = 256 * 1024 * MIB;

/** A stick or disc of so many bytes that is not here yet: what is made for it is a file. */
function fileShape(way: PlanRequest["way"], bytes: number): DeviceShape {
  const isDisc = way === "disc";
  return { kind: isDisc ? "optical" : "usb", model: "", serial: null, bytes, sectorBytes: isDisc ? 2048 : 512 };
}

/**
 * Plans a medium as a file that is burnt or written later. `bytes`: as large as the device that it is for; null: as
 * small as it can be. Problems: `not-found`, `invalid`.
 */
export async function planAsFile(context: Context, wish: MediumWish, bytes: number | null): Promise<Result<PlanView>> {
  if (bytes !== null) return planOn(context, wish, fileShape(wish.way, Math.floor(bytes / MIB) * MIB));
  const roomy = await planOn(context, wish, fileShape(wish.way, ROOMY_BYTES));
  if (!roomy.ok || !roomy.value.plan.ok) return roomy;
  const { writtenBytes } = roomy.value.plan;
  const isCopy = wish.way === "disc" || wish.way === "as-it-is";
  const least = isCopy
    ? Math.ceil(writtenBytes / DISC_SECTOR_BYTES) * DISC_SECTOR_BYTES
    : Math.ceil(roomFor(writtenBytes, wish.way) / MIB) * MIB;
  return planOn(context, wish, fileShape(wish.way, least));
}

export interface MediumFile {
  /** As it is called when it is kept: by the medium's tag. */
  name: string;
  /** Differs where a byte may: by it a download that broke off is continued. */
  version: string;
  source: LayoutSource;
  close: () => Promise<void>;
}

/** Opens a medium as a file, to be read from start to end, and closed after. Problems: `not-found`, `invalid`. */
export async function openMediumFile(
  context: Context,
  wish: MediumWish,
  bytes: number | null,
): Promise<Result<MediumFile>> {
  const planned = await planAsFile(context, wish, bytes);
  if (!planned.ok) return planned;
  const { plan, device, pack, carry, madeAt } = planned.value;
  if (!plan.ok) return refused({ code: "plan-fails" });
  const opened = await openReleases(context, [wish.releaseId, ...wish.besideIds]);
  if (!opened.ok) return opened;
  const carried = await openCarried(context, carry);
  if (!carried.ok) {
    await opened.value.close();
    return carried;
  }
  const close = async () => {
    await Promise.all([opened.value.close(), carried.value.close()]);
  };
  const made = await planFrom(opened.value.files, device, wish, pack, madeAt, carried.value);
  if (!made.ok) {
    await close();
    return refused({ code: "plan-fails" });
  }
  const version = createHash("sha256")
    .update(
      JSON.stringify([
        wish,
        device,
        pack,
        carry,
        madeAt,
        opened.value.files.map(({ path, source }) => [path, source.sizeBytes]),
      ]),
    )
    .digest("base64url");
  const name = `${wish.tag}.${wish.way === "disc" ? "iso" : "img"}`;
  return ok({ name, version, source: new LayoutSource(made.layout), close });
}
