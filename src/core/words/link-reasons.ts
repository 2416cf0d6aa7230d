import type { DiskSet } from "../computer/needs/system-disk";
import type { ImageFact, LinkReason, SystemFact } from "../judging/model/reasons";
import { dayText } from "./dates";
import { archText } from "./firmware";
import { imagePlaceText } from "./image-places";
import { bytesText } from "./sizes";
import { visible } from "./visible";

const IMAGE_FACTS: Record<ImageFact, string> = {
  mode: "firmware mode",
  diskBytes: "size of its source disk",
  sectorBytes: "sector size of its source disk",
  partitions: "partitions",
  kit: "kit",
  kitVersion: "kit version",
  model: "model",
  encrypted: "encryption",
  keyPlace: "key location",
  places: "copies",
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
  family: "kind of environment",
  arch: "architecture",
  madeOn: "release date",
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

const of = (disk: string | null) => (disk === null ? "" : `, the controller of ${disk}`);
const where = (computer: string | null) =>
  computer === null ? "on this computer" : `on ${computer}, of the same model`;
const days = (count: number) => (count === 1 ? "one day" : `${count.toLocaleString("en-GB")} days`);

/** Why At hand, Sees, Restores or Proven is as it is: one sentence for each code. */
export function linkReasonText(facts: LinkReason): string {
  switch (facts.code) {
    case "medium-place-unknown":
      return "Site of this medium not recorded.";
    case "computer-place-unknown":
      return "Site of this computer not recorded.";
    case "medium-at-site":
      return `The medium is at ${facts.site}, where the computer is.`;
    case "medium-elsewhere":
      return `The medium is at ${facts.site}; the computer is at ${facts.computerSite}.`;
    case "medium-lent":
      return `The medium is with ${facts.to}.`;
    case "medium-retired":
      return "The medium is retired.";
    case "medium-worn":
      return "The medium is worn. Write a new one.";
    case "medium-distrusted":
      return "Marked “do not use”.";
    case "medium-is-file":
      return "Still a file. Write it to a stick or a disc first.";
    case "copy-at-site":
      return `${facts.medium} carries the same and is on site.`;

    case "release-not-recorded":
      return "Release on this medium not recorded. Edit the medium.";
    case "release-drivers-unknown":
      return `Drivers of ${facts.release} not recorded. Read its file.`;
    case "no-controller-known":
      return "Storage controllers not recorded. Import the computer's facts.";
    case "no-adapter-known":
      return "Network adapters not recorded. Import the computer's facts.";
    case "controllers-driven":
      return `${facts.release} has drivers for ${facts.drivers.map(({ device, driver }) => `${device} (${driver})`).join(", ")}${of(facts.disk)}.`;
    case "controllers-driven-in-part":
      return `${facts.release} has no driver for ${facts.missing.join(", ")}; whether it controls ${facts.disk ?? "a disk"} is not recorded.`;
    case "controller-not-driven":
      return facts.whole
        ? `${facts.release} has no driver for ${facts.device}${of(facts.disk)}. It will not see that disk.`
        : `No separate driver on ${facts.release} for ${facts.device}${of(facts.disk)}; built-in drivers unknown.`;
    case "driver-elsewhere":
      return `Driver ${facts.driver} of ${facts.release} can be added${facts.medium ? ` (it is on ${facts.medium})` : ""}.`;
    case "raid-set-breaks":
      return "Several disks on that controller: changing its mode breaks a RAID set.";
    case "driver-to-load":
      return `The driver ${facts.driver} for ${facts.device} is on the medium. Load it first.`;
    case "own-port-not-driven":
      return `No driver for ${facts.device}, the controller of the medium's own port.`;
    case "raid-mode-could-be-off":
      return "The controller is in RAID or remapping mode. AHCI or NVMe mode would work; the installed system may need preparing, and a real RAID set would be lost.";
    case "input-not-driven":
      return `No driver for ${facts.device}. Attach a USB keyboard.`;
    case "no-input-driven":
      return `No driver for ${facts.device}, nor for any other keyboard port.`;
    case "adapter-driven":
      return `${facts.release} has a driver (${facts.driver}) for ${facts.device} and reaches the network.`;
    case "adapter-not-driven":
      return `${facts.release} has no driver for ${facts.device}, and the image is on the network.`;

    case "nothing-to-restore":
      return `Abilities of ${facts.release} not recorded.`;
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
      return `System disk unclear: ${facts.disks.join(", ")}. Record the partition of its system.`;
    case "disk-in-set":
      return `The disk ${facts.disk} is a member of ${DISK_SETS[facts.set]}. Find out which disks belong to it first.`;
    case "other-target":
      return `The disk ${facts.disk} (${bytesText(facts.bytes)}) is empty and large enough.`;
    case "mbr-limit":
      return `An MBR reaches ${bytesText(facts.bytes)} of ${facts.disk}; the rest stays unused.`;
    case "disk-too-small-to-install":
      return `The disk ${facts.disk} (${bytesText(facts.bytes)}) is too small: this system requires ${bytesText(facts.needed)}.`;
    case "store-key-kept":
      return `${facts.store} is encrypted. Key location: ${visible(facts.place, 160)}.`;
    case "store-key-unknown":
      return `${facts.store} is encrypted. Key location not recorded.`;
    case "sectors-differ":
      return `The disk ${facts.disk} has sectors of ${facts.bytes} bytes, the disk of the image had ${facts.image}, and the kit does not convert.`;
    case "image-disk-placed":
      return `The disk ${visible(facts.of, 60)} of the image goes onto ${visible(facts.disk, 60)} (${bytesText(facts.bytes)}).`;
    case "image-disk-left":
      return `The image holds the disk ${visible(facts.disk, 60)} too. It is still there and stays unchanged.`;
    case "image-disk-without-place":
      return `No empty disk fits the disk ${visible(facts.of, 60)}${facts.bytes === null ? "" : ` (${bytesText(facts.bytes)})`} of the image. ${
        facts.isNeeded ? "The computer starts from it. Fit one." : "Its content is not restored until one is fitted."
      }`;
    case "image-disk-size-unknown":
      return `Size or sectors of the disk ${visible(facts.of, 60)} of the image not recorded.`;
    case "image-disk-unsure":
      return `Restoring the disk ${visible(facts.of, 60)} of the image erases ${visible(facts.disk, 60)}. Not certain that it is the same disk: record its serial.`;
    case "image-in-parts":
      return `The image is in ${facts.of} parts on different stores. All of them are needed.`;
    case "image-part-missing":
      return `Location of part ${facts.number} of ${facts.of} of the image ${facts.image} not recorded.`;
    case "image-starts-again":
      return "The image holds what is needed to start.";
    case "image-start-elsewhere":
      return `The image has no EFI system partition: the computer starts from ${visible(facts.disk, 40)}. It starts only while that disk is unchanged. Take an image of that disk too.`;
    case "image-lacks":
      return `The image lacks ${facts.lacks.map((each) => LACKS[each]).join(" and ")}. It restores files, not a bootable computer.`;
    case "image-roles-unknown":
      return `Not recorded whether the image holds ${facts.lacks.map((each) => LACKS[each]).join(" and ")}.`;
    case "lineage-whole":
      return `All ${facts.parts} parts of its lineage available.`;
    case "lineage-broken":
      return facts.parent === null
        ? `The image ${facts.image} builds on an image that is not recorded. It cannot be restored alone.`
        : `The image ${facts.image} builds on ${facts.parent}, which is missing: it cannot be restored.`;
    case "image-lost":
      return `Every recorded copy of ${facts.image} is missing.`;
    case "image-unverified":
      return `The image ${facts.image} was never verified. Verify it.`;
    case "lineage-other-computer":
      return `The image ${facts.image}, its parent, is of ${facts.computer}.`;
    case "image-damaged":
      return `The image ${facts.image} was found damaged on ${dayText(facts.on)}.`;
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
      return `Encrypted. Key location: ${facts.place}.`;
    case "key-place-unknown":
      return `Location of the recovery key of ${facts.partition} not recorded.`;
    case "image-on-medium":
      return `The image is on ${facts.medium} itself.`;
    case "image-elsewhere":
      return `The image is on ${imagePlaceText(facts.place)}. Fetch and attach it.`;
    case "image-on-share":
      return `The image is on ${facts.share}, reached from this site.`;
    case "share-not-reached":
      return `The image is on ${facts.share}, and ${facts.release} does not reach the network.`;
    case "share-not-here":
      return `The share (${facts.share}) is not reached from ${facts.site}.`;
    case "share-reach-unknown":
      return `Sites that reach ${facts.share} not recorded.`;
    case "image-on-second-disk":
      return `The image is on ${facts.disk}, another disk in the computer. It is not written to.`;
    case "image-disk-open":
      return "The image is on a disk in this computer. Which disk is not recorded.";
    case "share-only":
      return `The image ${facts.image} is on a share only.`;
    case "store-not-recorded":
      return `The image is on ${facts.medium}, which is not a medium in service.`;
    case "store-not-usable":
      return `The image is on ${facts.medium}, which is retired or marked “do not use”.`;
    case "image-on-own-disk":
      return "The only copy is on the computer's own disk and is lost with it.";
    case "no-image-recorded":
      return "No image of this computer recorded.";
    case "release-systems-unknown":
      return `Systems included in ${facts.release} not recorded.`;
    case "nothing-included":
      return `${facts.release} includes no installable system.`;
    case "included-fits":
      return `Includes ${facts.included}, the computer's system.`;
    case "included-older":
      return `Includes an older release (${facts.included}, not ${facts.runs}). Update afterwards.`;
    case "included-newer":
      return `Includes a newer release (${facts.included}, not ${facts.runs}). The licence covers it.`;
    case "language-differs":
      return `Installs in another language (${facts.included}, not ${facts.runs}). Add the language afterwards.`;
    case "system-differs":
      return `The computer's system is of the ${SYSTEM_FACTS[facts.fact]} ${systemFactText(facts.fact, facts.runs)}; what is included is of the ${SYSTEM_FACTS[facts.fact]} ${systemFactText(facts.fact, facts.included)}, which its licence does not cover.`;
    case "system-fact-missing":
      return `Not recorded: the ${SYSTEM_FACTS[facts.fact]} of ${facts.system}.`;
    case "included-fact-missing":
      return `Not recorded: the ${SYSTEM_FACTS[facts.fact]} of the included ${facts.included}.`;
    case "release-fact-missing":
      return `Not recorded of release ${facts.release}: ${RELEASE_FACTS[facts.fact]}.`;
    case "environment-other-family":
      return `${facts.release} (${facts.family}) does not repair the start-up of ${facts.system}.`;
    case "environment-older":
      return `${facts.release} is older than ${facts.system}: it may be unable to repair the newer system.`;
    case "environment-not-older":
      return `${facts.release} is not older than the system that it repairs.`;
    case "environment-cannot-service":
      return `${facts.release} is an environment for ${archText(facts.arch)}, which cannot service a system for ${archText(facts.system)}.`;
    case "system-age-unknown":
      return `Release date of ${facts.system} not recorded. Import a release calendar.`;
    case "disk-empty":
      return "The disk is empty: nothing to repair or rescue.";
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
      return `Unknown whether ${facts.release} reads ${facts.filesystems.map((each) => visible(each, 40)).join(", ")}.`;
    case "repairs":
      return `${facts.release} repairs the start-up of what the computer runs.`;
    case "rescues":
      return `${facts.release} copies files from the disk as it is.`;

    case "drill-emulated":
      return facts.started
        ? `It started on an emulated computer with such firmware on ${dayText(facts.on)}; no drill on the computer itself.`
        : `It did not start on an emulated computer with such firmware on ${dayText(facts.on)}; no drill on the computer itself.`;
    case "no-proof-asked":
      return "No proof required.";
    case "drill-on-model-only":
      return `Drill on ${facts.computer} on ${dayText(facts.on)}, the same model; policy requires a drill on this computer.`;
    case "no-drill-recorded":
      return "No drill of this medium on this computer.";
    case "drill-good":
      return `${facts.restored ? "Restored" : "Started"} ${where(facts.computer)} on ${dayText(facts.on)}.`;
    case "drill-failed":
      return `The last drill failed, ${where(facts.computer)} on ${dayText(facts.on)}.`;
    case "drill-before-writing":
      return `The last drill was on ${dayText(facts.on)}; the medium was rewritten on ${dayText(facts.written)}.`;
    case "drill-other-firmware":
      return `The last drill was on ${dayText(facts.on)} with firmware ${facts.was}; now it is ${facts.is}.`;
    case "drill-old":
      return `Last drill ${dayText(facts.on)}, ${days(facts.days)} ago; the limit is ${days(facts.most)}.`;
    case "never-verified":
      return "Medium not verified.";
    case "verification-good":
      return `Verified on ${dayText(facts.on)}.`;
    case "verification-sampled":
      return `Verified intact on ${dayText(facts.on)}; sample intact on ${dayText(facts.sampled)}.`;
    case "verification-failed":
      return `Verification failed on ${dayText(facts.on)}.`;
    case "verified-before-writing":
      return `Last verified on ${dayText(facts.on)}; rewritten on ${dayText(facts.written)}.`;
    case "verification-old":
      return `Last verified on ${dayText(facts.on)}, ${days(facts.days)} ago; the limit is ${days(facts.most)}.`;
  }
}
