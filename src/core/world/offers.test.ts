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
    expect(offered(parts({}), "disk-gone")).toEqual(["reinstall"]);
    expect(offers({ verified: { on: "2026-06-30", whole: false } })).toEqual(["files"]);
    expect(offers({ kit: "Tern" })).toEqual(["files"]);
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
