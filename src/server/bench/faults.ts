import { join } from "node:path";
import { eq } from "drizzle-orm";
import type { Context } from "../context";
import type { DeviceId } from "../db/ids";
import { devices } from "../db/schema";
import { readSimulated, type Simulated, saveSimulated } from "../devices/simulated";
import { devicesFolder } from "../host/folders";
import { fail, ok, type Result } from "../problems";

/** Faults that can be switched on at a simulated device, as people would meet them. */
export const FAULTS = [
  "none",
  "pulled",
  "stops",
  "slow",
  "bad-sectors",
  "flips",
  "wraps",
  "drops",
  "write-protected",
  "in-use",
] as const;
export type Fault = (typeof FAULTS)[number];

const MIB = 1 << 20;

function faultsOf(fault: Fault, bytes: number): Simulated["faults"] {
  const trueBytes = Math.max(MIB, Math.floor(bytes / 4 / MIB) * MIB);
  switch (fault) {
    case "none":
      return {};
    case "pulled":
      return { pulledAfterBytes: 6 * MIB };
    case "stops":
      return { stopsAfterBytes: 6 * MIB };
    case "slow":
      return { slowAfter: { bytes: 4 * MIB, writeRate: 2e6 } };
    case "bad-sectors":
      return { bad: [{ start: 5 * MIB, lengthBytes: 64 * 512 }] };
    case "flips":
      return { flipsAt: MIB + 3 * 512 };
    case "wraps":
      return { counterfeit: { trueBytes, how: "wraps" } };
    case "drops":
      return { counterfeit: { trueBytes, how: "drops" } };
    case "write-protected":
      return { writeProtected: true };
    case "in-use":
      return { inUse: true };
  }
}

/** Which fault is switched on at a simulated device; null where it is a real one. */
export async function faultOf(simulatedAs: string | null): Promise<Fault | null> {
  const simulated = simulatedAs === null ? null : await readSimulated(join(devicesFolder(), simulatedAs));
  if (!simulated) return null;
  const { faults } = simulated;
  if (faults.counterfeit) return faults.counterfeit.how;
  if (faults.pulledAfterBytes != null) return "pulled";
  if (faults.stopsAfterBytes != null) return "stops";
  if (faults.slowAfter) return "slow";
  if (faults.bad?.length) return "bad-sectors";
  if (faults.flipsAt != null) return "flips";
  if (faults.writeProtected) return "write-protected";
  return faults.inUse ? "in-use" : "none";
}

/** Switches a fault on at a simulated device, and every other one off. */
export async function switchFault(context: Context, deviceId: DeviceId, fault: Fault): Promise<Result<Fault>> {
  const [row] = await context.db.select().from(devices).where(eq(devices.id, deviceId));
  const folder = row?.simulatedAs ? join(devicesFolder(), row.simulatedAs) : null;
  const simulated = folder && (await readSimulated(folder));
  if (!folder || !simulated) return fail({ code: "not-found", what: "simulated device" });
  await saveSimulated(folder, { ...simulated, faults: faultsOf(fault, simulated.bytes) });
  return ok(fault);
}
