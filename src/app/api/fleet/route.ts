import { fleetStanding } from "@/server/fleet/asked";
import { route } from "../../_lib/guard";

export const dynamic = "force-dynamic";

/** Whether what pages tell of the fleet is behind the latest changes, and when something older was last told. */
export const GET = route("readStanding", "reader", () => Response.json(fleetStanding()));
