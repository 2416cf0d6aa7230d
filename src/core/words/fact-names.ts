/** How facts are called where one is missing, by their place in `creel.facts/1`. */
const FACT_NAMES: Record<string, string> = {
  "firmware.kind": "whether its firmware is BIOS or UEFI",
  "firmware.legacyMode": "its legacy mode setting",
  "firmware.arch": "the architecture of its firmware",
  devices: "its devices",
  disks: "its disks",
  bus: "what its disk is attached by (its bus)",
  table: "the partition table of its disk",
  partitions: "the partitions of its disk",
  filesystem: "the file systems on its disk",
  sectorBytes: "the sector size of its disk",
  systems: "its system",
  model: "its make and model",
  "firmware.secureBoot.state": "whether Secure Boot is on",
  "firmware.secureBoot.db": "the certificates and hashes its Secure Boot allows (db)",
  "firmware.secureBoot.dbx": "the certificates and hashes its Secure Boot revokes (dbx)",
  "firmware.secureBoot.sbatLevel": "which generations of loaders it still accepts (SbatLevel)",
};

/** What a missing fact is, as a part of a sentence: "its disks"; the place in the form where it has no name. */
export function factText(fact: string): string {
  return FACT_NAMES[fact] ?? fact;
}
