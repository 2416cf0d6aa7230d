import type { Command } from "commander";
import { runImageCat, runImageInfo, runImageRestore, runImageSave, runImageVerify } from "./image";

/** `creel image …`: disks saved as creel.image/1, and written back. `answer` takes the exit code. */
export function asImageCommands(image: Command, answer: (code: number) => void): void {
  image.description("save a disk as creel.image/1, look into an image, and write it back");
  image
    .command("save")
    .description("save a disk: of FAT, exFAT, NTFS and ext what is in use, of anything else all of it")
    .argument("<disk>", "a block device, or a raw image of a disk")
    .requiredOption("--to <file>", "the image; it is there whole or not at all")
    .option("--tag <tag>", "of the computer")
    .option("--before <image>", "the image to go on from: what is the same is not saved again")
    .option("--partitions <numbers>", "only these, such as 1,3; tables and what starts the disk are always saved")
    .option("--sector-bytes <bytes>", "512 or 4096, where the disk is a file")
    .option("--json", "print the manifest")
    .action(runImageSave);
  image
    .command("info")
    .description("say what an image holds")
    .argument("<image>", "an image; those it goes on from are looked for in the same folder")
    .option("--json", "print the manifest")
    .action(runImageInfo);
  image
    .command("verify")
    .description("read every block and compare it with its checksum")
    .argument("<image>", "an image")
    .option("--json", "print the faults")
    .option("--check", "exit 1 unless it is intact")
    .action(async (file: string, options) => answer(await runImageVerify(file, options)));
  image
    .command("cat")
    .description("write one file that the disk had to standard output")
    .argument("<image>", "an image")
    .argument("<path>", "the file's path in its file system")
    .option("--partition <number>", "in this partition only")
    .action(runImageCat);
  image
    .command("restore")
    .description("write an image onto a disk or into a new raw file, and read it back")
    .argument("<image>", "an image")
    .requiredOption("--to <disk>", "a block device, or a file; a file that is not there is made")
    .option("--size <size>", "of a file that is made; the disk's own where it is left out")
    .option("--partitions <numbers>", "only these, where they were; all else on the disk stays")
    .option("--erase", "what the disk holds may be lost")
    .option("--json", "print the result")
    .action(async (file: string, options) => answer(await runImageRestore(file, options)));
}
