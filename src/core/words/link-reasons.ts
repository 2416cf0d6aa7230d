import type { DiskSet } from "../computer/needs/system-disk";
import type { ImageFact, LinkReason, SystemFact } from "../judging/model/reasons";
import { archText } from "./firmware";
import { imagePlaceText } from "./image-places";
import { bytesText } from "./sizes";
import { visible } from "./visible";

const IMAGE_FACTS: Record<ImageFact, string> = {
  mode: "under which firmware mode it was taken",
  diskBytes: "how large the disk was that it came from",
  sectorBytes: "which sector size that disk had",
  partitions: "which partitions it holds",
  kit: "by which kit it was made",
  kitVersion: "by which version of the kit it was made",
  model: "of which model it was taken",
  encrypted: "whether it is encrypted",
  keyPlace: "where its key is kept",
  places: "where it is kept",
};

/** Families are kept small: "windows". */
function systemFactText(fact: SystemFact, value: string): string {
  return fact === "family" ? `${value.slice(0, 1).toUpperCase()}${value.slice(1)}` : value;
}

const SYSTEM_FACTS: Record<SystemFact, string> = {
  family: "family",
  name: "product",
  version: "version",
  edition: "edition",
  arch: "architecture",
  language: "language",
};

const RELEASE_FACTS = {
  family: "which kind of environment it is",
  arch: "for which architecture it is",
  madeOn: "when it was made",
  factoryOf: "the model it restores",
};

const LACKS = {
  esp: "the EFI system partition",
  active: "the active partition that BIOS starts",
  system: "the system partition",
};

const DISK_SETS: Record<DiskSet, string> = {
  lvm: "an LVM volume group",
  raid: "a RAID set",
  dynamic: "a set of dynamic disks",
  pool: "a storage pool",
};

const MODES = { uefi: "UEFI", bios: "BIOS" };

const of = (disk: string | null) => (disk === null ? "" : `, on which ${disk} hangs`);
const where = (computer: string | null) =>
  computer === null ? "on this computer" : `on ${computer}, of the same model`;
const days = (count: number) => (count === 1 ? "one day" : `${count.toLocaleString("en-GB")} days`);

/** Why At hand, Sees, Restores or Proven is as it is: one sentence for each code. */
export function linkReasonText(facts: LinkReason): string {
  switch (facts.code) {
    case "medium-place-unknown":
      return "Not recorded: where this medium is.";
    case "computer-place-unknown":
      return "Not recorded: where this computer is.";
    case "medium-at-site":
      return `The medium is at ${facts.site}, where the computer is.`;
    case "medium-elsewhere":
      return `The medium is at ${facts.site}; the computer is at ${facts.computerSite}.`;
    case "medium-lent":
      return `The medium is with ${facts.to}.`;
    case "medium-retired":
      return "The medium is out of service.";
    case "medium-worn":
      return "The medium is worn: have a new one written.";
    case "medium-distrusted":
      return "The medium is not to be relied on any more.";
    case "medium-is-file":
      return "It is still a file. Write it to a stick or a disc first.";
    case "copy-at-site":
      return `${facts.medium} carries the same and is where the computer is.`;

    case "release-not-recorded":
      return "Not recorded: which kit release this medium carries, so what it can drive is not known.";
    case "release-drivers-unknown":
      return `Not known: which controllers ${facts.release} can drive.`;
    case "no-controller-known":
      return "Not known of this computer: its storage controllers.";
    case "no-adapter-known":
      return "Not known of this computer: its network adapters.";
    case "controllers-driven":
      return `${facts.release} drives ${facts.drivers.map(({ device, driver }) => `${device} (${driver})`).join(", ")}${of(facts.disk)}.`;
    case "controllers-driven-in-part":
      return `${facts.release} has no driver for ${facts.missing.join(", ")}, and whether ${facts.disk ?? "a disk"} hangs on it is not known.`;
    case "controller-not-driven":
      return facts.whole
        ? `${facts.release} has no driver for ${facts.device}${of(facts.disk)}: it will not see that disk.`
        : `Among the drivers that lie loose on ${facts.release} there is none for ${facts.device}${of(facts.disk)}; what its environment itself drives is not known.`;
    case "driver-elsewhere":
      return `A driver for it, ${facts.driver} of ${facts.release}, can be carried along${facts.medium ? ` (it is on ${facts.medium})` : ""}.`;
    case "raid-set-breaks":
      return "Several disks hang on that controller: if they are a RAID set, changing its mode breaks the set.";
    case "driver-to-load":
      return `The driver ${facts.driver} for ${facts.device} is on the medium and has to be loaded first.`;
    case "own-port-not-driven":
      return `It has no driver for ${facts.device}, the controller that the medium itself is attached to.`;
    case "raid-mode-could-be-off":
      return "The controller is set to RAID, or to mapping the disks into itself. Set to plain AHCI or NVMe it would be driven; the installed system may have to be prepared for that, and a real RAID set would be lost.";
    case "input-not-driven":
      return `There is no driver for ${facts.device}: attach a keyboard by USB.`;
    case "no-input-driven":
      return `There is no driver for ${facts.device}, nor for anything else that a keyboard could hang on.`;
    case "adapter-driven":
      return `${facts.release} drives ${facts.device} (${facts.driver}) and so reaches the network.`;
    case "adapter-not-driven":
      return `${facts.release} has no driver for ${facts.device}, and the image is reached by the network.`;

    case "nothing-to-restore":
      return `Not recorded: what ${facts.release} gives back.`;
    case "image-fact-missing":
      return `Not recorded of the image: ${IMAGE_FACTS[facts.fact]}.`;
    case "image-mode-same":
      return `The image was taken under ${MODES[facts.mode]}, as the computer starts.`;
    case "image-mode-converted":
      return `${facts.release} changes an image from ${MODES[facts.from as "uefi"]} to ${MODES[facts.to as "uefi"]}.`;
    case "image-mode-other":
      return `The image was taken under ${MODES[facts.image]}; the computer starts by ${MODES[facts.computer]}.`;
    case "target-large-enough":
      return `The disk ${facts.disk} (${bytesText(facts.bytes)}) is at least as large as the disk of the image (${bytesText(facts.needed)}).`;
    case "target-too-small":
      return `The disk ${facts.disk} (${bytesText(facts.bytes)}) is smaller than the disk of the image: a disk of at least ${bytesText(facts.needed)} is needed.`;
    case "system-disk-open":
      return `Not recorded: which of ${facts.disks.join(", ")} the system runs from. Record the partition of its system.`;
    case "disk-in-set":
      return `The disk ${facts.disk} is a member of ${DISK_SETS[facts.set]}: find out which disks belong to it first.`;
    case "other-target":
      return `The disk ${facts.disk} (${bytesText(facts.bytes)}) is empty and large enough.`;
    case "mbr-limit":
      return `A partition table of the MBR kind reaches ${bytesText(facts.bytes)} of ${facts.disk} only: the rest of the disk stays unused.`;
    case "disk-too-small-to-install":
      return `The disk ${facts.disk} (${bytesText(facts.bytes)}) is too small: this system requires ${bytesText(facts.needed)}.`;
    case "store-key-kept":
      return `${facts.store} is encrypted. Key location: ${visible(facts.place, 160)}.`;
    case "store-key-unknown":
      return `${facts.store} is encrypted. Key location not recorded.`;
    case "sectors-differ":
      return `The disk ${facts.disk} has sectors of ${facts.bytes} bytes, the disk of the image had ${facts.image}, and the kit does not convert.`;
    case "image-starts-again":
      return "The image holds what is needed to start.";
    case "image-lacks":
      return `The image lacks ${facts.lacks.map((each) => LACKS[each]).join(" and ")}: it gives back files, not a computer that starts.`;
    case "image-roles-unknown":
      return `Not recorded of the image: whether it holds ${facts.lacks.map((each) => LACKS[each]).join(" and ")}.`;
    case "lineage-whole":
      return `All ${facts.parts} parts that it is made of are there.`;
    case "lineage-broken":
      return facts.parent === null
        ? `The image ${facts.image} builds on one that is not recorded: it cannot be put back alone.`
        : `The image ${facts.image} builds on ${facts.parent}, which is missing: it cannot be put back.`;
    case "image-lost":
      return `Every copy of the image ${facts.image} that was known is gone.`;
    case "image-unverified":
      return `The image ${facts.image} was never verified: whether it is whole is not known.`;
    case "lineage-other-computer":
      return `The image ${facts.image}, which is built on, is of ${facts.computer}.`;
    case "image-damaged":
      return `The image ${facts.image} was found damaged on ${facts.on}.`;
    case "image-opens":
      return `${facts.release} opens images made by ${facts.kit}.`;
    case "image-kit-other":
      return `The image was made by ${facts.kit}, whose images ${facts.release} does not open.`;
    case "image-kit-newer":
      return `The image was made by ${facts.kit} ${facts.version}, which is newer than what ${facts.release} opens.`;
    case "hardware-moves":
      return `${facts.release} fits an image to other hardware.`;
    case "hardware-other":
      return `The image was taken of another model (${facts.image}), and ${facts.release} does not move images to other hardware.`;
    case "key-kept":
      return `Encrypted; its key is kept here: ${facts.place}.`;
    case "key-place-unknown":
      return `Not known of this computer: where the recovery key of ${facts.partition} is kept.`;
    case "image-on-medium":
      return `The image is on ${facts.medium} itself.`;
    case "image-elsewhere":
      return `The image is on ${imagePlaceText(facts.place)}: it has to be fetched and attached.`;
    case "image-on-share":
      return `The image is on ${facts.share}, which is reached from where the computer is.`;
    case "share-not-reached":
      return `The image is on ${facts.share}, and ${facts.release} does not reach the network.`;
    case "share-not-here":
      return `The share (${facts.share}) is not reached from ${facts.site}.`;
    case "share-reach-unknown":
      return `Not recorded: from where ${facts.share} is reached.`;
    case "image-on-second-disk":
      return `The image is on ${facts.disk}, another disk in the computer, which is not written to.`;
    case "image-disk-open":
      return "The image is on a disk in the computer itself. Not recorded: on which, and whether it is the one that is written to.";
    case "share-only":
      return `The image ${facts.image} is on a share only.`;
    case "store-not-recorded":
      return `The image is on ${facts.medium}, which is not recorded as a medium in service.`;
    case "store-not-usable":
      return `The image is on ${facts.medium}, which is out of service or not to be relied on.`;
    case "image-on-own-disk":
      return "The only copy of the image is on the computer's own disk: it is lost with it.";
    case "no-image-recorded":
      return "No image of this computer is recorded.";
    case "release-systems-unknown":
      return `Not known: which systems ${facts.release} includes.`;
    case "nothing-included":
      return `${facts.release} includes no system to install.`;
    case "included-fits":
      return `It includes ${facts.included}, which is what the computer runs.`;
    case "included-older":
      return `What it includes is older than what runs (${facts.included}, not ${facts.runs}): updates are to be put on afterwards.`;
    case "included-newer":
      return `What it includes is newer than what runs (${facts.included}, not ${facts.runs}): the licence covers it.`;
    case "language-differs":
      return `It installs in another language (${facts.included}, not ${facts.runs}): add the language afterwards.`;
    case "system-differs":
      return `The computer's system is of the ${SYSTEM_FACTS[facts.fact]} ${systemFactText(facts.fact, facts.runs)}; what is included is of the ${SYSTEM_FACTS[facts.fact]} ${systemFactText(facts.fact, facts.included)}, which its licence does not cover.`;
    case "system-fact-missing":
      return `Not known of this computer: the ${SYSTEM_FACTS[facts.fact]} of ${facts.system}.`;
    case "included-fact-missing":
      return `Not known: the ${SYSTEM_FACTS[facts.fact]} of ${facts.included} that it includes.`;
    case "release-fact-missing":
      return `Not recorded of ${facts.release}: ${RELEASE_FACTS[facts.fact]}.`;
    case "environment-other-family":
      return `${facts.release} (${facts.family}) does not repair the start-up of ${facts.system}.`;
    case "environment-older":
      return `${facts.release} is older than ${facts.system}: it may not know what it is to repair.`;
    case "environment-not-older":
      return `${facts.release} is not older than the system that it repairs.`;
    case "environment-cannot-service":
      return `${facts.release} is an environment for ${archText(facts.arch)}, which cannot service a system for ${archText(facts.system)}.`;
    case "system-age-unknown":
      return `Not known: when ${facts.system} came out, and whether the environment is older. A release calendar tells it.`;
    case "disk-empty":
      return "The new disk is empty: nothing on it to repair or rescue.";
    case "repair-other-mode":
      return `The medium starts in ${MODES[facts.starts]} mode and the system was installed in ${MODES[facts.installed]} mode: automatic repair serves its own mode only.`;
    case "mode-stays":
      return `It installs in ${MODES[facts.mode]} mode: leave the firmware in that mode afterwards.`;
    case "filesystems-not-read":
      return `${facts.release} does not read ${facts.filesystems.join(", ")}${facts.all ? "" : "; other partitions it does"}.`;
    case "entry-computer-unknown":
      return "Computer of this boot entry not recorded. Edit the medium.";
    case "entry-of-other":
      return `Boot entry on the disk of ${facts.computer}; it serves that computer only.`;
    case "entry-lost":
      return "The boot entry was on the old disk.";
    case "entry-on-disk":
      return "On the computer's own disk: nothing to fetch. Lost with that disk.";
    case "entry-starts":
      return "Starts from the boot menu on the computer's own disk, as long as that disk and its boot loader work.";
    case "factory-fits":
      return `${facts.release} restores the factory state of a ${facts.of}.`;
    case "factory-other-model":
      return `${facts.release} restores a ${facts.of} only.`;
    case "table-has-backup":
      return `GPT on ${facts.disk}: the partition table has a backup at the end of the disk.`;
    case "table-is-searched":
      return `MBR on ${facts.disk}, without a backup: lost partitions are found by search.`;
    case "system-partition-fits":
      return `System partition ${facts.partition}: ${bytesText(facts.bytes)}; the image needs ${bytesText(facts.needed)}.`;
    case "system-partition-too-small":
      return `System partition ${facts.partition} is too small: ${bytesText(facts.bytes)}; the image needs ${bytesText(facts.needed)}.`;
    case "system-partition-size":
      return facts.of === "disk"
        ? "Size of the system partition not recorded. Import the computer's facts."
        : "Size of the image's system partition not recorded. Enter it on the image's page.";
    case "filesystems-open":
      return `Not recorded: whether ${facts.release} reads ${facts.filesystems.map((each) => visible(each, 40)).join(", ")}.`;
    case "repairs":
      return `${facts.release} repairs the start-up of what the computer runs.`;
    case "rescues":
      return `${facts.release} copies files from the disk as it is.`;

    case "drill-emulated":
      return facts.started
        ? `It started on an emulated computer with such firmware on ${facts.on}; on the computer itself it was never tried.`
        : `It did not start on an emulated computer with such firmware on ${facts.on}; on the computer itself it was never tried.`;
    case "no-proof-asked":
      return "The policy asks for no proof.";
    case "drill-on-model-only":
      return `It was tried on ${facts.computer} on ${facts.on}, which is of the same model; the policy asks for a drill on this very computer.`;
    case "no-drill-recorded":
      return "Not recorded: a drill of this medium on this computer.";
    case "drill-good":
      return `${facts.restored ? "Restored" : "Started"} ${where(facts.computer)} on ${facts.on}.`;
    case "drill-failed":
      return `The last drill, ${where(facts.computer)} on ${facts.on}, failed.`;
    case "drill-before-writing":
      return `The last drill was on ${facts.on}; the medium was written anew on ${facts.written}.`;
    case "drill-other-firmware":
      return `The last drill was on ${facts.on} with firmware ${facts.was}; now it is ${facts.is}.`;
    case "drill-old":
      return `The last drill, on ${facts.on}, is ${days(facts.days)} old; ${days(facts.most)} is the most.`;
    case "never-verified":
      return "Not recorded: whether the medium holds what it should.";
    case "verification-good":
      return `Verified on ${facts.on}.`;
    case "verification-sampled":
      return `Verified whole on ${facts.on}; a sample of it was right on ${facts.sampled}.`;
    case "verification-failed":
      return `On ${facts.on} the medium did not hold what it should.`;
    case "verified-before-writing":
      return `Last verified on ${facts.on}; written anew on ${facts.written}.`;
    case "verification-old":
      return `Last verified on ${facts.on}, ${days(facts.days)} ago; ${days(facts.most)} is the most.`;
  }
}
