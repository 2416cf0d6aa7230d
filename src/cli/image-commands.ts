import type { Command } from "commander";
import { runImageCat, runImageInfo, runImageRestore, runImageSave, runImageVerify } from "./image";

/** `creel image …`: disks saved as creel.image/1, and written back. `answer` takes the exit code. */
export function asImageCommands(image: Command, answer: (code: number) => void): void {
  image.description("save a disk as creel.image/1, read an image, restore it");
  image
    .command("save")
    .description("save a disk: used blocks of FAT, exFAT, NTFS and ext, everything else in full")
    .argument("<disk>", "a block device, or a raw image of a disk")
    .requiredOption("--to <file>", "the image; a failed run leaves no file")
    .option("--tag <tag>", "of the computer")
    .option("--before <image>", "incremental: save only what changed since this image")
    .option("--partitions <numbers>", "only these, such as 1,3; tables and boot code are always saved")
    .option("--sector-bytes <bytes>", "512 or 4096, where the disk is a file")
    .option("--json", "print the manifest")
    .action(runImageSave);
  image
    .command("info")
    .description("describe an image")
    .argument("<image>", "an image; previous images must be in the same folder")
    .option("--json", "print the manifest")
    .action(runImageInfo);
  image
    .command("verify")
    .description("verify every block")
    .argument("<image>", "an image")
    .option("--json", "print the faults as JSON")
    .option("--check", "exit 1 unless it is intact")
    .action(async (file: string, options) => answer(await runImageVerify(file, options)));
  image
    .command("cat")
    .description("write one file of the disk to standard output")
    .argument("<image>", "an image")
    .argument("<path>", "the file's path in its file system")
    .option("--partition <number>", "in this partition only")
    .action(runImageCat);
  image
    .command("restore")
    .description("restore an image to a disk or a raw file, and verify it")
    .argument("<image>", "an image")
    .requiredOption("--to <disk>", "a block device or a raw file; a missing file is created")
    .option("--size <size>", "of a created file; default: that of the saved disk")
    .option("--partitions <numbers>", "only these, to the same position; the rest of the disk stays")
    .option("--erase", "allow everything on the disk to be erased")
    .option("--json", "print the result")
    .action(async (file: string, options) => answer(await runImageRestore(file, options)));
}
