/** What is recorded of an image of which only its file is known. */
export const BARE_BODY = {
  ...{ make: null, model: null, kit: null, kitVersion: null, mode: null, diskBytes: null, sectorBytes: null },
  ...{ partitions: null, encrypted: null, keyPlace: null, kind: "full", parent: null, verified: null, places: [] },
} as const;

/** A share of images at a place, which the server looks into as the folder "share". */
export function shareAt(siteId: number) {
  return {
    ...{ name: "Image share", kind: "share", medium: null, computer: null, diskSerial: null, siteId },
    ...{ reachedFrom: [siteId], address: "smb://keep/images", link: "lan-1000", capacityBytes: 1e12, freeBytes: null },
    ...{ folder: "share", namePattern: "{computer} {date} {state}", note: null },
  };
}
