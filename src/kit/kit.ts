import type { ComputerRecord } from "@/core/computer/exchange/columns";
import { dayText } from "@/core/words/dates";
import { restoreRefusalText, savedPartitionText } from "@/core/words/imaging";
import {
  KIT,
  kitComputerText,
  kitDiskText,
  kitFirmwareText,
  kitImageText,
  kitPartitionText,
  kitRecordText,
  kitStoreText,
} from "@/core/words/kit";
import {
  enterBoot,
  imagesIn,
  isBlank,
  keepReport,
  mayRestore,
  planOf,
  type RestoreEnd,
  restore,
  type SavingEnd,
  type StoredImage,
  save,
  survey,
} from "./acts";
import { type Disk, type Machine, mountPoint, readDisks, readMachine } from "./machine";
import { findMedium, freeBytes, type Medium, recordOf, type Store, sheetOf } from "./medium";
import { type Console, field, ROWS, screenOf, wrapped } from "./screen";
import { tool } from "./shell";

/** Letters of a serial that are typed before a disk is written. */
const SERIAL_LETTERS = 4;
const ESCAPE = "\u001b";
const TEXT_COLUMNS = 78;

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
    const { keys, fields } = KIT;
    this.show(this.tag ?? "", [
      ...field(fields.computer, kitComputerText(this.machine)),
      ...field(fields.record, kitRecordText(this.record, this.medium.pack !== null)),
      ...field(fields.firmware, kitFirmwareText(this.machine)),
      "",
      ...(shown.length > 0 ? shown : [KIT.none]).flatMap((text, at) => field(at === 0 ? fields.disks : "", text)),
      "",
      ...field(fields.medium, this.medium.pack?.head.medium.tag ?? KIT.noTag),
      ...field(fields.store, kitStoreText(stored)),
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
      texts.flatMap((text) => [...wrapped(text, TEXT_COLUMNS), ""]),
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

  /** Disks of the computer: none that the environment started from or saves into. */
  private get others(): Disk[] {
    return this.disks.filter((disk) => !this.medium.disks.has(disk.path));
  }

  /** The store and one of the disks; null, once it was told why, where one of them is missing. */
  private async storeAndDisk(title: string): Promise<Store | null> {
    const { store } = this.medium;
    if (store && this.others.length > 0) return store;
    await this.tell(title, [store ? KIT.noDisk : KIT.noStore]);
    return null;
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
      medium: this.medium.pack?.head.medium.tag ?? null,
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
    const store = await this.storeAndDisk(title);
    const disk = store && (await this.choose(title, KIT.whichDisk, this.others, kitDiskText));
    if (!store || !disk) return;
    const plan = await planOf(disk).catch(() => null);
    if (!plan) return this.tell(title, [KIT.noDisk]);
    const free = await freeBytes(store.folder);
    const most = plan.savedBytes;
    const warnings = [
      ...(most > free ? [KIT.doesNotFit(free)] : []),
      ...(store.fileMaxBytes !== null && most > store.fileMaxBytes ? [KIT.fileTooLarge(store.fileMaxBytes)] : []),
    ];
    this.show(
      title,
      [
        kitDiskText(disk),
        "",
        ...plan.partitions.flatMap((each) => wrapped(savedPartitionText(each), TEXT_COLUMNS)),
        "",
        ...[KIT.saves(most), ...warnings].flatMap((text) => wrapped(text, TEXT_COLUMNS)),
      ],
      KIT.mayBegin,
    );
    if (!(await this.yes())) return;
    const before = await this.imageToGoOnFrom(title, store, disk);
    this.show(title, [kitDiskText(disk)], "");
    const end = await save({
      ...{ disk, store, machine: this.machine, tag: this.tag, before },
      onSaved: (part) => this.progress(KIT.saving, part),
      onVerified: (part) => this.progress(KIT.verifying, part),
    });
    await this.tell(title, savedTexts(end, store));
  }

  /** The latest image of a disk in the store, where only the changes since are to be saved. */
  private async imageToGoOnFrom(title: string, store: Store, disk: Disk): Promise<StoredImage | null> {
    const earlier = (await imagesIn(store)).find(({ manifest }) => isOf(manifest, disk));
    if (!earlier) return null;
    this.show(title, wrapped(KIT.onlyChanges(dayText(earlier.manifest.made)), TEXT_COLUMNS), KIT.mayBeOnlyChanges);
    return (await this.yes()) ? earlier : null;
  }

  private async restore(): Promise<void> {
    const title = KIT.keys.restore;
    const store = await this.storeAndDisk(title);
    if (!store) return;
    const images = await imagesIn(store);
    if (images.length === 0) return this.tell(title, [KIT.noImage]);
    const ofThis = (image: StoredImage) => (this.tag !== null && image.manifest.computer.tag === this.tag ? 0 : 1);
    const inOrder = [...images].sort((a, b) => ofThis(a) - ofThis(b));
    const text = ({ manifest }: StoredImage) => kitImageText(manifest);
    const image = await this.choose(title, KIT.whichImage, inOrder, text);
    const disk = image && (await this.choose(title, KIT.whichDisk, this.others, kitDiskText));
    if (!image || !disk) return;
    const planned = await mayRestore(image, disk);
    if (!planned) return this.tell(title, [KIT.imageDamaged]);
    if (!planned.ok) return this.tell(title, [restoreRefusalText(planned.why)]);
    if (!(await this.confirmed(title, disk, images))) return;
    this.show(title, [text(image), "", kitDiskText(disk)], "");
    const startedAt = Date.now();
    const end = await restore(image, disk, (phase, part) =>
      this.progress(phase === "write" ? KIT.writing : KIT.verifying, part),
    );
    if (end.state !== "restored") return this.tell(title, [notRestoredText(end)]);
    const minutes = Math.ceil((Date.now() - startedAt) / 60_000);
    await this.tell(title, [
      KIT.restored(end.writtenBytes, minutes),
      ...(await this.bootEntry(disk, image)),
      KIT.mayRestart,
    ]);
  }

  /** What became of the firmware's boot order. */
  private async bootEntry(disk: Disk, { manifest }: StoredImage): Promise<string[]> {
    if (this.machine.firmware === "bios") return [];
    const entry = await enterBoot(disk, manifest, await mountPoint("start"));
    if (entry.state === "none") return [];
    return [entry.state === "entered" ? KIT.bootEntry(entry.path) : KIT.noBootEntry];
  }

  /** Says what is erased, and lets the disk be named by what stands on it; twice where no image here is of it. */
  private async confirmed(title: string, disk: Disk, images: readonly StoredImage[]): Promise<boolean> {
    const held = (await planOf(disk).catch(() => null))?.partitions ?? [];
    const isSafe = images.some(({ manifest }) => isOf(manifest, disk)) || (await isBlank(disk));
    const serial = disk.serial ?? "";
    const isBySerial = serial.length >= SERIAL_LETTERS;
    const wanted = isBySerial ? serial.slice(-SERIAL_LETTERS) : String(Math.round(disk.bytes / 1e9));
    const lines = [
      ...wrapped(KIT.erases(kitDiskText(disk)), TEXT_COLUMNS),
      ...(held.length > 0 ? held.map(kitPartitionText) : [`  ${KIT.empty}`]),
      "",
      ...(isSafe ? [] : [...wrapped(KIT.notSaved, TEXT_COLUMNS), ""]),
      ...wrapped(KIT.confirmBy(isBySerial ? KIT.lastLetters(SERIAL_LETTERS) : KIT.wholeSize), TEXT_COLUMNS),
    ];
    for (const heading of isSafe ? [title] : [title, KIT.second]) {
      this.show(heading, lines, "");
      const typed = await this.console.line();
      if (typed === null || typed === "") return false;
      if (typed.trim().toLowerCase() !== wanted.toLowerCase()) {
        await this.tell(title, [KIT.noMatch]);
        return false;
      }
    }
    return true;
  }

  private async sheet(): Promise<void> {
    const lines = this.tag ? await sheetOf(this.medium, this.tag) : null;
    if (!lines) return this.tell(KIT.keys.sheet, [KIT.noSheet]);
    const all = lines.flatMap((line) => wrapped(line, TEXT_COLUMNS));
    const room = ROWS - 4;
    for (let at = 0; at < all.length; at += room) {
      this.show(
        `${this.tag}  ${Math.floor(at / room) + 1} of ${Math.ceil(all.length / room)}`,
        all.slice(at, at + room),
        KIT.pages,
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

function savedTexts(end: SavingEnd, { fileMaxBytes }: Store): string[] {
  switch (end.state) {
    case "saved":
      return [KIT.saved(end.file, end.bytes), ...(end.unreadBytes > 0 ? [KIT.savedUnread(end.unreadBytes)] : [])];
    case "full":
      return [KIT.storeFull];
    case "file-too-large":
      return [KIT.saveFailed, ...(fileMaxBytes === null ? [] : [KIT.fileTooLarge(fileMaxBytes)])];
    case "differs":
      return [KIT.imageDiffers];
    case "failed":
      return [KIT.saveFailed];
  }
}

function notRestoredText(end: Exclude<RestoreEnd, { state: "restored" }>): string {
  switch (end.state) {
    case "not-opened":
      return KIT.diskInUse;
    case "image-damaged":
      return end.isBegun ? KIT.imageDamagedLate : KIT.imageDamaged;
    case "differs":
      return KIT.diskDiffers;
    case "stopped":
    case "fault":
      return KIT.interrupted;
  }
}
