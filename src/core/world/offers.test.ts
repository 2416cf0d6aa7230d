import { answers, codes, disks, image, main, type Parts, world } from "../../../test/support/worlds";
import type { Happening } from "../callout/happenings";
import { imagePlans, policyAnswers } from "./answers";
import { readWorld, worldOf } from "./read";

describe("offers of a call-out", () => {
  const offered = (parts: Parts, happening: Happening, since?: string) =>
    answers(parts, { happening, since }).map(({ outcome, image: id }) => [outcome, id].filter(Boolean).join(" "));
  const old = image({ id: "I0", takenAt: "2024-06-30T10:00:00Z" });

  test("yesterday's image on an external disk comes before an old one and before a new installation; rescue comes last", () => {
    expect(offered({ images: [old, image()] }, "disk-gone")).toEqual(["image I1", "image I0", "reinstall"]);
    expect(offered({ images: [image()] }, "does-not-start").at(-1)).toBe("files");
  });

  test("a maker's state comes after a new installation, and takes all later work with it", () => {
    const parts = {
      spindle: { facts: { purposes: ["factory-state"], factoryOf: { make: "Corvane", model: "Slate 14" } } },
      images: [],
    };
    const routes = answers(parts, { happening: "disk-gone" });
    expect(routes.map(({ outcome }) => outcome)).toEqual(["reinstall", "factory"]);
    expect([routes[1]?.lost?.code, routes[1]?.steps.map(({ code }) => code).includes("no-format")]).toEqual([
      ...["everything", false],
    ]);
  });

  test("lost files are copied out of an image: nothing is erased", () => {
    const [first] = answers({}, { happening: "files-lost" });
    const steps = first?.steps.map(({ code }) => code) ?? [];
    expect([first?.image, steps.includes("open-image")]).toEqual(["I1", true]);
    for (const code of ["choose-target", "erased", "disconnect-disks"]) expect(steps).not.toContain(code);
  });

  test("for lost files an image need not fit the disk, but be opened and whole", () => {
    const parts = (more: object) => ({ ...disks(main({ bytes: 128e9 })), images: [image(more)] });
    const offers = (more: object) => offered(parts(more), "files-lost");
    expect(offers({})).toEqual(["image I1", "files"]);
    expect(offered(parts({}), "disk-gone")).toEqual(["reinstall", "image-files I1"]);
    expect(offers({ verified: { on: "2026-06-30", whole: false } })).toEqual(["files"]);
    expect(offers({ kit: "Tern" })).toEqual(["files"]);
  });

  test("files out of an image are a way of their own: nothing is erased, and nothing is put back", () => {
    const parts = { ...disks(main({ bytes: 128e9 })), images: [image()] };
    const [route] = answers(parts, { happening: "disk-gone", outcome: "image-files" });
    expect([route?.image, route?.lost?.code, route?.links.restores.verdict]).toEqual([
      ...["I1", "files-since-image", "holds-after-change"],
    ]);
    const steps = route?.steps.map(({ code }) => code) ?? [];
    expect(steps).toEqual(expect.arrayContaining(["fetch-store", "destination", "open-image"]));
    for (const code of ["choose-target", "erased", "disconnect-disks", "updates"]) expect(steps).not.toContain(code);
    // Where it comes back whole, that is what is offered.
    expect(offered({}, "disk-gone")).not.toContain("image-files I1");
  });

  describe("system partition of an image", () => {
    const single = { spindle: { facts: { purposes: ["put-back-images"], abilities: ["single-partitions"] } } };
    const roles = [
      ...[
        { role: "esp", active: null, bytes: 272_629_760 },
        { role: "msr", active: null },
      ],
      ...[
        { role: "system", active: null, bytes: 190e9 },
        { role: "data", active: null, bytes: 50e9 },
      ],
    ];
    const parts = (own: object = {}, disk: object = {}) => ({
      ...single,
      ...disks(main(disk)),
      images: [image({ partitions: roles, ...own })],
    });
    const restores = (own: object = {}, disk: object = {}) => {
      const [route] = answers(parts(own, disk), { outcome: "system" });
      return route ? [route.links.restores.verdict, ...route.links.restores.reasons.map(({ code }) => code)] : null;
    };

    test("comes back where it fits, and data partitions are left as they are", () => {
      expect(restores()?.[0]).toBe("holds-after-change");
      const [route] = answers(parts(), { happening: "bad-update", outcome: "system" });
      expect(route?.lost?.code).toBe("system-since-image");
      const step = route?.steps.find(({ code }) => code === "choose-partition");
      expect(step?.text).toContain("partition 3");
      expect(step?.detail.join(" ")).toMatch(/Leave unticked:.*partition 4/);
      expect(route?.steps.map(({ code }) => code)).not.toContain("choose-target");
    });

    test("is broken on a smaller one, and unknown without its size", () => {
      const larger = roles.map((each) => (each.role === "system" ? { ...each, bytes: 210e9 } : each));
      expect(restores({ partitions: larger })).toContain("system-partition-too-small");
      const unsized = roles.map(({ role, active }) => ({ role, active }));
      expect(restores({ partitions: unsized })).toContain("system-partition-size");
    });

    test("is not offered where nothing else is on the disk, nor by a kit that restores disks only", () => {
      const alone = main().partitions.slice(0, 3);
      expect(restores({}, { partitions: alone })).toBeNull();
      expect(offered({ images: [image({ partitions: roles })] }, "bad-update")).not.toContain("system I1");
      expect(offered(parts(), "disk-gone")).not.toContain("system I1");
    });

    test("a system that was installed in the other mode does not start from what is left", () => {
      expect(restores({ mode: "bios" })).toContain("image-mode-other");
    });
  });

  describe("partitions that are mended", () => {
    const mends = { spindle: { facts: { purposes: ["partition-repair"] } } };
    const restores = (parts: object) => {
      const [route] = answers({ ...mends, ...parts }, { outcome: "partitions" });
      return [route?.links.restores.verdict, route?.links.restores.reasons[0]?.code];
    };

    // UEFI 2.10, 5.3.1: the backup table lies at the end of the disk.
    test("GPT has a backup of its table, an MBR has none; a member of a set is not written to", () => {
      expect(restores({})).toEqual(["holds", "table-has-backup"]);
      expect(restores(disks(main({ table: "mbr" })))).toEqual(["holds", "table-is-searched"]);
      expect(restores(disks(main({ table: null })))).toEqual(["unknown", "fact-missing"]);
      expect(restores({ computer: { newDisk: { bytes: 512e9, sectorBytes: 512, bus: "nvme" } } })).toEqual([
        "broken",
        "disk-empty",
      ]);
    });

    test("are offered where a computer does not start, before anything that loses something", () => {
      expect(offered(mends, "does-not-start").slice(0, 2)).toEqual(["start-up", "partitions"]);
      expect(offered(mends, "disk-gone")).not.toContain("partitions");
      const steps = codes("partitions", mends, { happening: "does-not-start" });
      expect(steps).toContain("save-table");
      expect(steps).not.toContain("choose-target");
    });
  });

  describe("a disk that is copied onto a new one beside it", () => {
    const copies = { spindle: { facts: { purposes: ["copy-disks"] } } };
    const onto = (bytes: number, sectorBytes: number | null = 512) => ({
      ...copies,
      computer: { newDisk: { bytes, sectorBytes, bus: "nvme" } },
    });
    const restores = (parts: object) => {
      const [route] = answers(parts, { outcome: "copy" });
      return route ? [route.links.restores.verdict, route.links.restores.reasons[0]?.code] : null;
    };

    test("goes onto one at least as large, with sectors of the same size", () => {
      expect(restores(onto(512e9))).toEqual(["holds", "target-large-enough"]);
      expect(restores(onto(128e9))?.[0]).toBe("broken");
      expect(restores(onto(512e9, 4096))).toEqual(["broken", "sectors-differ"]);
      expect(restores(onto(512e9, null))?.[0]).toBe("unknown");
      // Without a new disk there is nothing to copy onto.
      expect(restores(copies)).toBeNull();
    });

    test("loses nothing and comes first on a planned move; the old disk is swapped out and kept", () => {
      expect(offered(onto(512e9), "new-disk")[0]).toBe("copy");
      expect(offered(onto(512e9), "disk-gone")).not.toContain("copy");
      const [route] = answers(onto(512e9), { happening: "new-disk", outcome: "copy" });
      expect(route?.lost?.code).toBe("nothing");
      const steps = route?.steps.map(({ code }) => code) ?? [];
      const order = ["fit-disk", "look", "choose-source", "choose-target", "begin", "take-out", "swap-disks"];
      expect(steps.filter((code) => order.includes(code))).toEqual(order);
      expect(steps).toEqual(expect.arrayContaining(["old-disk", "grow", "keep-old"]));
      const disksSeen = route?.steps.find(({ code }) => code === "look")?.detail ?? [];
      expect(disksSeen).toHaveLength(2);
    });
  });

  describe("an entry on the computer's own disk", () => {
    const entry = (onComputer: string | null, happening?: Happening) =>
      answers(
        { lanternMedium: { kind: "entry", onComputer, startsBy: null, site: null } },
        { medium: "LN-1", happening },
      );
    const atHand = (onComputer: string | null) => {
      const link = entry(onComputer)[0]?.links;
      return [link?.atHand.reasons[0]?.code, link?.starts.verdict];
    };

    test("is at hand on that computer and on no other", () => {
      expect(atHand("HO-1")).toEqual(["entry-on-disk", "holds"]);
      expect(atHand("HO-2")[0]).toBe("entry-of-other");
      expect(atHand(null)[0]).toBe("entry-computer-unknown");
    });

    test("needs nothing to be fetched or put in, and is lost with the disk", () => {
      const [route] = entry("HO-1", "bad-update");
      const steps = route?.steps.map(({ code }) => code) ?? [];
      for (const code of ["fetch", "attach"]) expect(steps).not.toContain(code);
      expect(route?.steps.find(({ code }) => code === "start")?.text).toMatch(/entry LN-1 in the boot menu/);
      expect(entry("HO-1", "disk-gone")).toEqual([]);
    });

    test("where the computer does not start, what is sure comes before it", () => {
      const parts = { lanternMedium: { kind: "entry", onComputer: "HO-1", startsBy: null, site: null } };
      expect(answers(parts, { happening: "does-not-start" }).map(({ medium }) => medium)[0]).toBe("SP-1");
    });
  });

  test("nothing is lost is only said where it is true", () => {
    const lost = Object.fromEntries(
      answers({}, { happening: "does-not-start" }).map((each) => [each.outcome, each.lost?.code]),
    );
    expect(lost).toEqual({
      "start-up": "nothing",
      image: "since-image",
      reinstall: "everything",
      files: "all-but-files",
    });
  });

  test("after malware the network is off first, and the sheet says what to do with passwords", () => {
    const steps = codes("image", {}, { happening: "malware", since: "2026-07-01" });
    expect([steps[0], steps.includes("passwords")]).toEqual(["off-network", true]);
  });
});

test("the next image: what cannot be told is taken, a reserved partition is no unknown size, and what is lacking is told", () => {
  const plan = (parts: Parts) => {
    const reading = readWorld(world(parts));
    return reading.ok ? imagePlans(worldOf(reading.document))[0]?.plan : undefined;
  };
  const numbers = (contents: { partition: { number: number } }[] = []) =>
    contents.map(({ partition }) => partition.number);
  expect(plan({})).toMatchObject({ usedBytes: 60_033_554_432, lacks: [] });
  expect([numbers(plan({})?.take), numbers(plan({})?.leave)]).toEqual([[1, 2, 3], [4]]);
  const root = { number: 2, bytes: 1e11, usedBytes: 5e9, filesystem: "ext4" };
  const linux = plan({ facts: { disks: [main({ partitions: [root] })], systems: [] } });
  expect([numbers(linux?.take), linux?.lacks]).toEqual([[2], ["esp"]]);
});

test("policy: only a usable image is the newest one; what is lacking is told", () => {
  const met = (images: object[]) => {
    const reading = readWorld(world({ images, more: { policy: { image: 1, proof: "none", imageDays: 100 } } }));
    if (!reading.ok) throw new Error(reading.told);
    return policyAnswers(worldOf(reading.document))[0];
  };
  expect(met([image()])?.met).toBe(true);
  const old = image({ id: "I0", takenAt: "2025-01-01T10:00:00Z" });
  const damaged = image({ verified: { on: "2026-06-30", whole: false } });
  expect(met([old, damaged])?.lacks).toMatchObject([{ need: "image", oldImage: "2025-01-01" }]);
});

test("what is no world is told, with its place", () => {
  expect(readWorld({ schema: "creel.world/2" })).toMatchObject({ ok: false, at: "schema" });
  expect(readWorld(world({ spindleMedium: { releases: ["Nobody 1"] } }))).toMatchObject({
    ok: false,
    at: "media.0.releases",
  });
});
