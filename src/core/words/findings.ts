import type { Finding } from "../medium/findings/findings";
import { bytesText } from "./sizes";

/** The sentence of a finding. */
export function findingText(facts: Finding): string {
  switch (facts.code) {
    case "medium-empty":
      return "The file is empty or shorter than one sector: there is nothing to start from. Check that it was copied completely.";
    case "nothing-recognised":
      return "Nothing in it is recognised: no partition table, no disc image, no file system that Creel knows. If it is encrypted, unlock it first.";
    case "compressed":
      return `Compressed (${facts.compression}). Unpack it before writing it to a medium: as it is, nothing starts from it. Its files can be listed.`;
    case "not-a-start-medium":
      return "This is an archive of system images, not something to start from: it goes onto a medium.";
    case "nothing-starts":
      return "No firmware finds a way to start from it, as a stick or as a disc.";
    case "gpt-from-backup":
      return `The first GPT header does not count (${gptFaultText(facts.fault)}); the backup at the end is good and is used. Firmware that starts it writes the repair to the medium.`;
    case "gpt-backup-missing":
      return "The backup GPT at the end of the medium is missing or damaged. It starts as long as the first one stays good.";
    case "gpt-backup-displaced":
      return `The backup GPT stands in sector ${facts.found}, not in the last one (${facts.lastSector}): the image is smaller than the medium, or was cut. If the first header is ever damaged, firmware will not find it.`;
    case "gpt-damaged":
      return `Both GPT headers are unusable (first: ${gptFaultText(facts.primary)}; backup: ${gptFaultText(facts.backup)}). Firmware sees no GPT partitions.`;
    case "gpt-not-protected":
      return facts.hybridDisc
        ? "There is a GPT without a protective entry in sector 0, as hybrid discs have it: firmware does not look at it and uses the disc's start catalogue."
        : "There is a GPT, but sector 0 has no protective entry for it, so firmware does not look at it. Writing the table anew puts that right.";
    case "gpt-other-sector-size":
      return `Its GPT is laid out for sectors of ${facts.sectorBytes} bytes: on a stick with 512-byte sectors firmware does not see it.`;
    case "gpt-entry-outside":
      return `GPT partition ${facts.number} lies outside the range that its own table allows: firmware leaves it out.`;
    case "gpt-entry-overlaps":
      return `GPT partition ${facts.number} overlaps another one: firmware leaves both out.`;
    case "mbr-unsigned":
      return "Sector 0 holds partition entries but does not end in 55 AA: neither kind of firmware takes the table.";
    case "mbr-entry-past-end":
      return `Entry ${facts.slot} of the partition table reaches past the end of the medium: UEFI drops the whole table for it. The image may have been cut short.`;
    case "mbr-entries-overlap":
      return facts.hybridDisc
        ? `Entry ${facts.slot} of the partition table overlaps another one, as hybrid discs have it: UEFI drops the table and uses the disc's start catalogue, on a stick too.`
        : `Entry ${facts.slot} of the partition table overlaps another one: UEFI drops the whole table for it.`;
    case "mbr-beside-gpt":
      return "Beside the GPT, sector 0 lists ordinary partitions too (a hybrid table).";
    case "logical-chain-broken":
      return "The chain of logical partitions does not end properly: partitions behind the break are not seen.";
    case "volume-exceeds-partition":
      return `The file system of partition ${facts.index} says that it is ${bytesText(facts.volumeBytes)}, but its partition has ${bytesText(facts.partitionBytes)}: files at its end are cut.`;
    case "fat-too-few-clusters":
      return `A FAT32 layout with only ${facts.clusters} clusters${facts.index === null ? "" : ` in partition ${facts.index}`} (65,525 are the least): UEFI firmware refuses it. Format it as FAT16 or make it larger.`;
    case "catalogue-outside":
      return `The start catalogue of the disc should be in sector ${facts.sector}, which is not there.`;
    case "catalogue-checksum":
      return "The checksum of the disc's start catalogue is wrong: UEFI firmware refuses it; some BIOSes do too.";
    case "catalogue-key":
      return "The disc's start catalogue lacks its key bytes 55 AA.";
    case "catalogue-sections":
      return "The disc's start catalogue has a section that does not begin or end as it should.";
    case "iso-cut-short":
      return `The disc image says that it has ${bytesText(facts.wantedBytes)}, but ${bytesText(facts.thereBytes)} are there: it was cut short. Fetch it again.`;
    case "iso-not-hybrid":
      return "This disc image carries no start code for use on a stick: copied to a stick as it is, BIOS computers will not start from it.";
    case "told-in-words":
      return facts.text;
    case "odd-size":
      return `The file ends ${facts.overBytes} bytes after the last whole sector.`;
  }
}

function gptFaultText(fault: string): string {
  const words: Record<string, string> = {
    "outside-medium": "not on the medium",
    "no-signature": "no signature there",
    "header-size": "impossible header size",
    "header-crc": "its checksum is wrong",
    "wrong-place": "it says that it belongs elsewhere",
    "entry-size": "impossible entry size",
    "entries-outside-medium": "its entries are not on the medium",
    "entries-too-many": "an impossible number of entries",
    "entries-crc": "the checksum of its entries is wrong",
  };
  return words[fault] ?? fault;
}
