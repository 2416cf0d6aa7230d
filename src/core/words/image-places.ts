import type { ImagePlace } from "../judging/model/parts";

/** Where a copy of an image is, by the name that is on it. */
export function imagePlaceName(place: ImagePlace): string {
  return place.on === "medium" || place.on === "computer" ? place.tag : place.name;
}

/** The same with the site that a disk is kept at. */
export function imagePlaceText(place: ImagePlace): string {
  return place.on === "disk" && place.site ? `${place.name}, ${place.site}` : imagePlaceName(place);
}
