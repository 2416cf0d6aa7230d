import type { ComputerRecord } from "@/core/computer/exchange/columns";
import { planRestore } from "@/core/imaging/restoring";
import { restoreRefusalText } from "@/core/words/imaging";
import {
  KIT,
  kitComputerText,
  kitDiskText,
  kitRecordText,
  kitSavingText,
  kitStartedText,
  kitStoreText,
} from "@/core/words/kit";
import { bytesText } from "@/core/words/sizes";
import { enterStart, imagesIn, keepReport, planOf, restore, type StoredImage, save, survey, withImage } from "./acts";
import { type Disk, type Machine, mountPoint, readDisks, readMachine } from "./machine";
import { findMedium, freeBytes, type Medium, recordOf, sheetOf } from "./medium";
import { type Console, field, ROWS, screenOf, wrapped } from "./screen";
import { tool } from "./shell";

/** Letters of a serial that are typed before a disk is written. */
const SERIAL_LETTERS = 4;
const ESCAPE = "\u001b";

/** What stands on one console: which computer this is, what is on it, and four acts. */
export class Kit {
  private machine!: Machine;
  private disks: Disk[] = [];
  private medium!: Medium;
  private record: ComputerRecord | null = null;

  constructor(
    private readonly console: Console,
    private readonly script: string,
  ) {}

  async run(): Promise<void> {
    this.machine = await readMachine();
    for (;;) {
      this.disks = await readDisks();
      this.medium = await findMedium(this.disks);
      this.record = recordOf(this.machine, this.medium.pack);
      await this.home();
      const key = await this.console.key();
      if (key === "1") await this.survey();
      else if (key === "2") await this.save();
      else if (key === "3") await this.restore();
      else if (key === "4") await this.sheet();
      else if (key === "0") return this.off();
    }
  }

  private get tag(): string | null {
    return this.record?.tag ?? null;
  }

  private async home(): Promise<void> {
    const { store } = this.medium;
    const stored = store ? { freeBytes: await freeBytes(store.folder), filesystem: store.filesystem } : null;
    const shown = this.disks.slice(0, 6).map(kitDiskText);
    const { keys } = KIT;
    this.show(this.tag ?? "", [
      ...field("This computer", kitComputerText(this.machine)),
      ...field("", kitRecordText(this.record, this.medium.pack !== null)),
      ...field("Started", kitStartedText(this.machine)),
      "",
      ...(shown.length > 0 ? shown : ["none"]).flatMap((text, at) => field(at === 0 ? "Disks" : "", text)),
      "",
      ...field("This medium", this.medium.head?.medium.tag ?? "not made by Creel"),
      ...field("Its store", kitStoreText(stored)),
      "",
      ...[keys.survey, keys.save, keys.restore, keys.sheet].map((text, at) => `  ${at + 1}  ${text}`),
      `  0  ${keys.off}`,
    ]);
  }

  private show(right: string, lines: readonly string[], press: string = KIT.press): void {
    this.console.show(screenOf(KIT.title, right, lines, press));
  }

  /** Tells something, and waits for Enter. */
  private async tell(title: string, texts: readonly string[]): Promise<void> {
    this.show(
      title,
      texts.flatMap((text) => [...wrapped(text, 78), ""]),
      KIT.back,
    );
    await this.enter();
  }

  private async enter(): Promise<void> {
    for (;;) if (["\r", "\n", ESCAPE].includes(await this.console.key())) return;
  }

  private async choose<T>(
    title: string,
    question: string,
    of: readonly T[],
    text: (each: T) => string,
  ): Promise<T | null> {
    const shown = of.slice(0, 9);
    this.show(title, [question, "", ...shown.flatMap((each, at) => field(`  ${at + 1}`, text(each)))], KIT.press);
    const at = Number(await this.console.key()) - 1;
    return shown[at] ?? null;
  }

  /** Disks other than the one that this medium and its store are on. */
  private get others(): Disk[] {
    const { store } = this.medium;
    return this.disks.filter((disk) => disk.path !== store?.disk);
  }

  private async survey(): Promise<void> {
    const title = KIT.keys.survey;
    const { store } = this.medium;
    if (!store) return this.tell(title, [KIT.noStore]);
    this.show(title, [KIT.surveying], "");
    const facts = await survey(this.script);
    if (!facts) return this.tell(title, [KIT.surveyFailed]);
    const at = new Date().toISOString();
    const name = `${at.replaceAll(/[-:]/g, "").slice(0, 15)}-${this.tag ?? this.machine.serial ?? "computer"}`;
    const { firmware, secureBoot } = this.machine;
    const file = await keepReport(store, name, {
      schema: "creel.report/1",
      at,
      by: "Creel",
      medium: this.medium.head?.medium.tag ?? null,
      computer: { tag: this.tag, serial: this.machine.serial, uuid: this.machine.uuid },
      started: { firmware, secureBoot },
      sees: {
        disks: this.disks.map(({ name: own, model, serial, bytes, isFailing }) => ({
          name: own,
          model,
          serial,
          bytes,
          reads: !isFailing,
        })),
        store: true,
      },
      facts,
    });
    await this.tell(title, [KIT.surveyed(file)]);
  }

  private async save(): Promise<void> {
    const title = KIT.keys.save;
    const { store } = this.medium;
    if (!store) return this.tell(title, [KIT.noStore]);
    if (this.others.length === 0) return this.tell(title, [KIT.noDisk]);
    const disk = await this.choose(title, KIT.whichDisk, this.others, kitDiskText);
    if (!disk) return;
    const plan = await planOf(disk).catch(() => null);
    if (!plan) return this.tell(title, [KIT.noDisk]);
    const free = await freeBytes(store.folder);
    const most = plan.savedBytes;
    const earlier = (await imagesIn(store)).find(({ manifest }) => isOf(manifest, disk)) ?? null;
    this.show(
      title,
      [
        kitDiskText(disk),
        "",
        ...plan.partitions.flatMap((each) => wrapped(kitSavingText(each), 78)),
        "",
        ...wrapped(KIT.saves(most), 78),
        ...(most > free ? wrapped(KIT.doesNotFit(most, free), 78) : []),
      ],
      KIT.mayBegin,
    );
    if (!(await this.yes())) return;
    let before: StoredImage | null = null;
    if (earlier) {
      this.show(title, wrapped(KIT.goesOn(earlier.manifest.made.slice(0, 10)), 78), "");
      if (await this.yes()) before = earlier;
    }
    this.show(title, [kitDiskText(disk)], "");
    const end = await save({
      ...{ disk, plan, store, machine: this.machine, tag: this.tag, before },
      onSaved: (part) => this.progress(KIT.saving, part),
      onChecked: (part) => this.progress(KIT.checking, part),
    });
    if (end.state === "full") return this.tell(title, [KIT.storeFull]);
    if (end.state === "differs") return this.tell(title, [KIT.readBackDiffers]);
    if (end.state === "failed") return this.tell(title, [KIT.saveFailed]);
    await this.tell(title, [
      KIT.saved(end.file, end.bytes),
      ...(end.unreadBytes > 0 ? [KIT.savedUnread(end.unreadBytes)] : []),
    ]);
  }

  private async restore(): Promise<void> {
    const title = KIT.keys.restore;
    const { store } = this.medium;
    if (!store) return this.tell(title, [KIT.noStore]);
    const images = await imagesIn(store);
    if (images.length === 0) return this.tell(title, [KIT.noImage]);
    const ofThis = (image: StoredImage) => (image.manifest.computer.tag === this.tag && this.tag !== null ? 0 : 1);
    const image = await this.choose(
      title,
      KIT.whichImage,
      [...images].sort((a, b) => ofThis(a) - ofThis(b)),
      imageText,
    );
    if (!image) return;
    const disk = await this.choose(title, KIT.whichDisk, this.others, kitDiskText);
    if (!disk) return;
    const target = { bytes: disk.bytes, sectorBytes: disk.sectorBytes };
    const planned = await withImage(image.path, store, (reader) => planRestore(reader, target)).catch(() => null);
    if (!planned) return this.tell(title, [KIT.imageDamaged]);
    if (!planned.ok) return this.tell(title, [restoreRefusalText(planned.why)]);
    if (!(await this.confirmed(title, disk, images))) return;
    this.show(title, [imageText(image), "", kitDiskText(disk)], "");
    const startedAt = Date.now();
    const end = await restore(image, store, disk, (phase, part) =>
      this.progress(phase === "write" ? KIT.restoring : KIT.readingBack, part),
    );
    if (end.state === "damaged") return this.tell(title, [KIT.imageDamaged]);
    if (end.state !== "restored") return this.tell(title, [KIT.restoreCutOff]);
    const minutes = Math.ceil((Date.now() - startedAt) / 60_000);
    const entry =
      this.machine.firmware === "uefi" ? await enterStart(disk, image.manifest, await mountPoint("start")) : null;
    await this.tell(title, [
      KIT.restored(end.writtenBytes, minutes),
      ...(entry ? [KIT.startEntry(entry)] : []),
      KIT.mayRestart,
    ]);
  }

  /** Says what is lost, and lets the disk be named by what stands on it; twice where no image here is of it. */
  private async confirmed(title: string, disk: Disk, images: readonly StoredImage[]): Promise<boolean> {
    const held = await planOf(disk).catch(() => null);
    const contents =
      held?.partitions.map(
        (each) => `  ${each.number}  ${each.filesystem ?? "unknown content"}, ${bytesText(each.bytes)}`,
      ) ?? [];
    const isSaved = images.some(({ manifest }) => isOf(manifest, disk));
    const serial = disk.serial ?? "";
    const isBySerial = serial.length >= SERIAL_LETTERS;
    const wanted = isBySerial ? serial.slice(-SERIAL_LETTERS) : String(Math.round(disk.bytes / 1e9));
    const lines = [
      ...wrapped(KIT.lost(kitDiskText(disk)), 78),
      ...(contents.length > 0 ? contents : [`  ${KIT.empty}`]),
      "",
      ...(isSaved || contents.length === 0 ? [] : [...wrapped(KIT.notSaved, 78), ""]),
      ...wrapped(KIT.confirmBy(isBySerial ? KIT.lastLetters(SERIAL_LETTERS) : KIT.wholeSize), 78),
    ];
    const rounds = isSaved || contents.length === 0 ? 1 : 2;
    for (let round = 0; round < rounds; round++) {
      this.show(round === 0 ? title : `${title}: once more`, lines, "");
      const typed = await this.console.line();
      if (typed === null || typed === "") return false;
      if (typed.trim().toLowerCase() !== wanted.toLowerCase()) {
        await this.tell(title, [KIT.notConfirmed]);
        return false;
      }
    }
    return true;
  }

  private async sheet(): Promise<void> {
    const lines = this.tag ? await sheetOf(this.medium, this.tag) : null;
    if (!lines) return this.tell(KIT.keys.sheet, [KIT.noSheet]);
    const all = lines.flatMap((line) => wrapped(line, 78));
    const room = ROWS - 4;
    for (let at = 0; at < all.length; at += room) {
      this.show(
        `${this.tag}  ${Math.floor(at / room) + 1} of ${Math.ceil(all.length / room)}`,
        all.slice(at, at + room),
        "Enter: next page. Escape: back.",
      );
      if ((await this.console.key()) === ESCAPE) return;
    }
  }

  private async yes(): Promise<boolean> {
    return /^[yY]$/.test(await this.console.key());
  }

  private shownPercent = -1;
  private progress(what: string, part: number): void {
    const percent = Math.floor(part * 100);
    if (percent === this.shownPercent) return;
    this.shownPercent = percent;
    this.console.status(`${what}: ${percent} %`);
  }

  private async off(): Promise<void> {
    await tool("sync", []);
    await tool("umount", ["-a", "-r"]);
    await tool("poweroff", ["-f"]);
  }
}

/** Whether an image is of this disk: by its serial, and by its size where neither has one. */
function isOf({ disk: saved }: StoredImage["manifest"], disk: Disk): boolean {
  if (saved.serial !== null || disk.serial !== null) return saved.serial === disk.serial;
  return saved.bytes === disk.bytes && saved.model === disk.model;
}

function imageText({ manifest }: StoredImage): string {
  const { computer, disk, made } = manifest;
  const of = computer.tag ?? computer.serial ?? "unknown computer";
  return `${of}, ${made.slice(0, 16).replace("T", " ")}, disk of ${bytesText(disk.bytes)}${manifest.before ? ", goes on from another" : ""}`;
}
