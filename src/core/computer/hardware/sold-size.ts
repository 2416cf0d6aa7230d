/**
 * What a disk that is sold as so many gigabytes holds: makers agree on the count of its sectors. IDEMA Standard LBA1-03, for
 * sectors of 512 bytes and sizes of 50 GB and more.
 */
const SECTOR_BYTES = 512;
const LEAST_GB = 50;
const SECTORS_AT_50 = 97_696_368;
const SECTORS_A_GB = 1_953_504;

/** Bytes of a disk that is sold as `gigabytes`; null where the standard has no such size: then the exact one is asked for. */
export function soldBytes(gigabytes: number): number | null {
  if (!Number.isInteger(gigabytes) || gigabytes < LEAST_GB) return null;
  return (SECTORS_AT_50 + SECTORS_A_GB * (gigabytes - LEAST_GB)) * SECTOR_BYTES;
}

/** As how many gigabytes a disk of exactly so many bytes is sold; null where it is no such size. */
export function soldGigabytes(bytes: number): number | null {
  const gigabytes = (bytes / SECTOR_BYTES - SECTORS_AT_50) / SECTORS_A_GB + LEAST_GB;
  return soldBytes(gigabytes) === bytes ? gigabytes : null;
}
