import { fleetStanding } from "@/server/fleet/asked";

export const dynamic = "force-dynamic";

/** Whether what pages tell of the fleet is behind the latest changes, and when something older was last told. */
export async function GET(): Promise<Response> {
  return Response.json(fleetStanding(), { headers: { "cache-control": "no-store" } });
}
