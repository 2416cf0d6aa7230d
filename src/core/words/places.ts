import type { Place } from "../medium/firmware/place";

/** Where on a medium a volume or a program lies. */
export function placeText(place: Place): string {
  if (place.length === 0) return "the whole medium";
  return place
    .map(({ kind, number }) => {
      if (kind === "el-torito") return `El Torito entry ${number}`;
      if (kind === "udf") return "the UDF volume";
      return kind === "gpt" ? `GPT partition ${number}` : `MBR partition ${number}`;
    })
    .join(", in it ");
}
