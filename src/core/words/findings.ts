import type { Finding } from "../medium/findings/findings";
import { bytesText } from "./sizes";
import { visible } from "./visible";

/** The sentence of a finding. */
export function findingText(facts: Finding): string {
  switch (facts.code) {
    case "medium-empty":
      return "The file is empty or shorter than one sector: nothing to start. Check that it was copied completely.";
    case "nothing-recognised":
      return "Not recognised: no partition table, disc image or known file system. If encrypted, unlock it first.";
    case "read-as-folder":
      return "Read as a folder: partition table, boot code and file system are unknown. Read the whole stick to be sure: as an image file, at a bench, or by creel inspect on its device.";
    case "compressed":
      return `Compressed (${facts.compression}). Unpack it before writing it to a medium: as it is, nothing starts from it. Its files can be listed.`;
    case "not-a-start-medium":
      return "An archive of system images; nothing starts from it. Put it on a medium.";
    case "nothing-starts":
      return "No boot path, neither as a stick nor as a disc.";
    case "gpt-from-backup":
      return `The first GPT header is damaged (${gptFaultText(facts.fault)}); the backup at the end is used. Firmware that starts it repairs the medium.`;
    case "gpt-backup-missing":
      return "The backup GPT at the end of the medium is missing or damaged. It starts while the first one stays intact.";
    case "gpt-backup-displaced":
      return `The backup GPT is in sector ${facts.found}, not in the last one (${facts.lastSector}): the image is smaller than the medium, or was cut. If the first header is ever damaged, firmware will not find it.`;
    case "gpt-damaged":
      return `Both GPT headers are unusable (first: ${gptFaultText(facts.primary)}; backup: ${gptFaultText(facts.backup)}). Firmware sees no GPT partitions.`;
    case "gpt-not-protected":
      return facts.hybridDisc
        ? "There is a GPT without a protective entry in sector 0, as on hybrid discs: firmware ignores it and uses the disc's boot catalogue."
        : "There is a GPT, but sector 0 has no protective entry for it, so firmware ignores it. Rewrite the table.";
    case "gpt-other-sector-size":
      return `Its GPT is laid out for sectors of ${facts.sectorBytes} bytes: on a stick with 512-byte sectors firmware does not see it.`;
    case "gpt-entry-outside":
      return `GPT partition ${facts.number} lies outside the range that its own table allows: firmware leaves it out.`;
    case "gpt-entry-overlaps":
      return `GPT partition ${facts.number} overlaps another one: firmware leaves both out.`;
    case "mbr-unsigned":
      return "Sector 0 holds partition entries but does not end in 55 AA: no firmware accepts the table.";
    case "mbr-entry-past-end":
      return `Entry ${facts.slot} of the partition table reaches past the end of the medium: UEFI drops the whole table for it. The image may have been cut short.`;
    case "mbr-entries-overlap":
      return facts.hybridDisc
        ? `Entry ${facts.slot} of the partition table overlaps another one, as on hybrid discs: UEFI drops the table and uses the disc's boot catalogue, also on a stick.`
        : `Entry ${facts.slot} of the partition table overlaps another one: UEFI drops the whole table for it.`;
    case "mbr-beside-gpt":
      return "Beside the GPT, sector 0 lists ordinary partitions too (a hybrid table).";
    case "logical-chain-broken":
      return "The chain of logical partitions is broken: partitions behind the break are not found.";
    case "volume-exceeds-partition":
      return `The file system of partition ${facts.index} says that it is ${bytesText(facts.volumeBytes)}, but its partition has ${bytesText(facts.partitionBytes)}: files at its end are cut.`;
    case "fat-too-few-clusters":
      return `A FAT32 layout with only ${facts.clusters} clusters${facts.index === null ? "" : ` in partition ${facts.index}`} (65,525 are the least): UEFI firmware refuses it. Format it as FAT16 or make it larger.`;
    case "catalogue-outside":
      return `The boot catalogue should be in sector ${facts.sector}, which does not exist.`;
    case "catalogue-checksum":
      return "The checksum of the disc's boot catalogue is wrong: UEFI firmware refuses it; some BIOSes do too.";
    case "catalogue-key":
      return "The disc's boot catalogue lacks its key bytes 55 AA.";
    case "catalogue-sections":
      return "The disc's boot catalogue has a section that does not begin or end as it should.";
    case "iso-cut-short":
      return `The disc image says that it has ${bytesText(facts.wantedBytes)}, but ${bytesText(facts.thereBytes)} are there: it was cut short. Download it again.`;
    case "iso-not-hybrid":
      return "No boot code for sticks: a raw copy on a stick will not start BIOS computers.";
    case "told-in-words":
      return facts.text;
    case "boot-store-names-missing":
      return `${visible(facts.store)} starts ${visible(facts.file)}, which is not on the medium. Copy the file back, or make the medium again.`;
    case "boot-store-damaged":
      return `${visible(facts.store)} is damaged, or names no entry to start. Copy it from the release, or make the medium again.`;
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
    "wrong-place": "it belongs to another position",
    "entry-size": "impossible entry size",
    "entries-outside-medium": "its entries are not on the medium",
    "entries-too-many": "an impossible number of entries",
    "entries-crc": "the checksum of its entries is wrong",
  };
  return words[fault] ?? fault;
}
