import { codes, disks, image, LVM, link, main, second, text } from "../../../test/support/worlds";

// An image of several disks of one computer, and one whose parts lie in several places. Common practice throughout.
const [DATA, ESP] = [
  { number: 2, bytes: 900e9, filesystem: "ntfs", role: "data" },
  { role: "esp", active: false },
];
const sda = (more: object = {}) => second({ partitions: [DATA], ...more });
const empty = (name: string, more: object = {}) => second({ name, serial: name, partitions: [], ...more });
const held = (more: object = {}) => ({
  ...{ name: "sda", serial: "S2", bytes: 1_000_204_886_016, sectorBytes: 512, partitions: [{ role: "data" }] },
  ...more,
});
const images = (...more: object[]) => ({ images: [image({ moreDisks: more })] });

describe("an image of several disks", () => {
  test("a data disk that is still there is left: later work is on it, and it is taken off", () => {
    const parts = { ...disks(main(), sda()), ...images(held()) };
    expect(link("restores", "image", parts)).toContain("image-disk-left");
    expect(text("image", parts)).toMatch(/not restored: sda stays unchanged/);
    expect(codes("image", parts)).toContain("disconnect-disks");
  });

  test("one that is gone goes onto an empty disk, which stays attached and is named as erased", () => {
    const parts = { ...disks(main(), empty("sdb")), ...images(held()) };
    expect(link("restores", "image", parts)).toContain("image-disk-placed");
    expect(text("image", parts)).toMatch(/sda of the image goes onto sdb.*erased too/);
    expect(codes("image", parts)).not.toContain("disconnect-disks");
  });

  test("without a disk for it data do not come back, and the sheet says so; with what starts it nothing does", () => {
    expect(link("restores", "image", images(held()))[0]).toBe("holds-after-change");
    expect(text("image", images(held()))).toMatch(/sda of the image is not restored: there is no disk for it/);
    const starting = {
      images: [image({ partitions: [{ role: "system" }], moreDisks: [held({ partitions: [ESP] })] })],
    };
    expect(link("restores", "image", starting).slice(0, 2)).toEqual(["broken", "image-disk-without-place"]);
    const there = { ...starting, ...disks(main({ partitions: [main().partitions[2]] }), sda()) };
    expect(link("restores", "image", there).slice(-3)).toContain("image-opens");
    expect(link("restores", "image", there)).toContain("image-disk-placed");
  });

  test("nothing is written over that only looks like the disk that is meant, or that the mode does not need", () => {
    const starting = (more: object) => ({
      ...{ images: [image({ partitions: [{ role: "system" }], moreDisks: [held({ partitions: [ESP], ...more })] })] },
      ...disks(main({ partitions: [main().partitions[2]] }), sda()),
    });
    expect(link("restores", "image", starting({}))).toContain("image-disk-placed");
    // Without a serial, name and size are no proof; of another serial it is another disk.
    expect(link("restores", "image", starting({ serial: null })).slice(0, 2)).toEqual(["unknown", "image-disk-unsure"]);
    expect(link("restores", "image", starting({ serial: "S8" }))).toContain("image-disk-without-place");
    const pooled = second({ partitions: [DATA, { number: 3, type: LVM, bytes: 1e9 }] });
    const member = { ...starting({}), ...disks(main({ partitions: [main().partitions[2]] }), pooled) };
    expect(link("restores", "image", member).slice(0, 2)).toEqual(["unknown", "disk-in-set"]);
    // What a start by BIOS left behind on a data disk is no reason to erase it.
    const left = held({ partitions: [{ role: "bios-boot" }, { role: "data", active: true }] });
    const parts = { ...disks(main(), sda()), ...images(left) };
    expect(link("restores", "image", parts)).toContain("image-disk-left");
    expect(text("image", parts)).not.toMatch(/erased too/);
  });

  test("two never go onto one disk, and none onto the target of the first", () => {
    const two = images(held(), held({ name: "sdz", serial: "S9" }));
    expect(link("restores", "image", { ...disks(main(), empty("sdb")), ...two })).toEqual(
      expect.arrayContaining(["image-disk-placed", "image-disk-without-place"]),
    );
    // The system's own disk is too small: the empty one is its target.
    const small = { ...disks(main({ bytes: 128e9 }), empty("sdb")), ...images(held()) };
    expect(link("restores", "image", small)).toEqual(
      expect.arrayContaining(["other-target", "image-disk-without-place"]),
    );
  });

  test("a disk with a size that is not recorded, or of other sectors, is not promised a place", () => {
    const onto = (more: object) => link("restores", "image", { ...disks(main(), empty("sdb")), ...images(held(more)) });
    expect(onto({ bytes: null }).slice(0, 2)).toEqual(["unknown", "image-disk-size-unknown"]);
    expect(onto({ sectorBytes: 4096 })).toContain("image-disk-without-place");
    expect(onto({ bytes: 2e12 })).toContain("image-disk-without-place");
  });

  test("what is on a disk of which nobody recorded it may be what is missed", () => {
    const open = { images: [image({ partitions: [{ role: "system" }], moreDisks: [held({ partitions: null })] })] };
    expect(link("restores", "image", open).slice(0, 2)).toEqual(["unknown", "image-roles-unknown"]);
  });
});

describe("an image in parts on several stores", () => {
  const part = (number: number, name: string, more: object = {}) => ({
    ...{ on: "disk", name, site: "Head office", part: { number, of: 2 } },
    ...more,
  });
  const placed = (...places: object[]) => link("restores", "image", { images: [image({ places })] });

  test("each part is needed", () => {
    expect(placed(part(1, "Disk 3"), part(2, "Disk 4"))).toContain("image-in-parts");
    expect(placed(part(1, "Disk 3")).slice(0, 2)).toEqual(["broken", "image-part-missing"]);
    // Two copies of one part are no whole.
    expect(placed(part(1, "Disk 3"), part(1, "Disk 4"))[0]).toBe("broken");
    expect(placed(part(1, "Disk 3"), { on: "disk", name: "Disk 5", site: "Head office" })[0]).toBe(
      "holds-after-change",
    );
  });

  test("and all of them are fetched", () => {
    const parts = { images: [image({ places: [part(1, "Disk 3"), part(2, "Disk 4")] })] };
    expect(text("image", parts)).toMatch(/Attach Disk 3 now.*in parts\. The others: Disk 4/s);
  });
});
