import type { DiskFacts } from "@/core/computer/facts/schema";
import { judgePair, surroundingsOf } from "@/core/fleet/judge";
import type { Ruling } from "@/core/judging/links/ruling";
import { judgeSees } from "@/core/judging/links/sees";
import type { ComputerPart, ReleasePart } from "@/core/judging/model/parts";
import { type RankedRoute, rankRoutes, type Surroundings } from "@/core/judging/routes/routes";
import type { Attachment } from "@/core/medium/inspection/schema";
import { answerText } from "@/core/words/routes";
import type { Context } from "../context";
import { withDeviceNames } from "../host/hardware-names";
import type { ComputerDetail } from "../inventory/computers";
import { asked } from "./asked";
import { fleet } from "./fleet";
import type { WorldMedium } from "./world";

/** Of one computer the Sees link is the same on every medium that carries a release: it is judged once. */
function withSees(around: Surroundings): Surroundings {
  const rulings = new Map<string, Ruling>();
  const sees = (computer: ComputerPart, release: ReleasePart, network: boolean, as: Attachment): Ruling => {
    const key = `${network} ${as} ${release.name}`;
    const carried = (modalias: string) => around.carried(modalias, release);
    const ruling = rulings.get(key) ?? judgeSees({ computer, release, as, needsNetwork: network, carried });
    rulings.set(key, ruling);
    return ruling;
  };
  return { ...around, sees };
}

/** A ranked route with what lists tell of its medium. */
export interface Route extends RankedRoute {
  mediumName: string | null;
  kind: string;
  siteName: string | null;
}

/** What the routes of a computer would come to with other facts, in words. */
export const answerWith = asked("answer-with", async (context: Context, computer: ComputerPart): Promise<string> => {
  const { world, media } = await fleet(context);
  const around = withSees(surroundingsOf(world));
  return answerText(computer.tag, rankRoutes(media.flatMap((medium) => judgePair(around, computer, medium))));
});

/**
 * What else the routes of a computer are asked by. `imagesOf`: the computer whose images come back on it; `toldDisk`: a
 * disk that takes the place of the system's, `oldDisk`, the one that was there; `onTheDay`: something happened to it.
 */
interface RoutesAsked {
  imagesOf: string | null;
  toldDisk: string | null;
  oldDisk: DiskFacts | null;
  onTheDay: boolean;
}
const AS_IT_IS: RoutesAsked = { imagesOf: null, toldDisk: null, oldDisk: null, onTheDay: false };

/** The routes of a computer over all media in use, best first. */
export const routesOf = asked(
  "routes",
  async (
    context: Context,
    detail: ComputerDetail,
    { imagesOf, toldDisk, oldDisk, onTheDay }: RoutesAsked = AS_IT_IS,
  ): Promise<Route[]> => {
    const { world, media } = await fleet(context);
    const computer = {
      tag: detail.row.tag,
      site: detail.siteName,
      facts: await withDeviceNames(detail.facts),
      ...{ toldDisk, oldDisk },
    };
    const surroundings = { ...surroundingsOf(world), onTheDay };
    const around = withSees(
      imagesOf === null ? surroundings : { ...surroundings, imagesOf: () => surroundings.imagesOf(imagesOf) },
    );
    const routes = media.flatMap((medium) => judgePair(around, computer, medium));
    const byTag = new Map(media.map((medium) => [medium.part.tag, medium]));
    return rankRoutes(routes).map((route) => {
      const { name, kind, part } = byTag.get(route.medium) as WorldMedium;
      return { ...route, mediumName: name, kind, siteName: part.site };
    });
  },
);
