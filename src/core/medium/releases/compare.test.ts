import { IMAGES } from "../../../../scripts/demo/images";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { nativeHasher } from "../../../server/host/native-hasher";
import { CachedSource } from "../../kernel/source";
import { inspect } from "../inspection/inspect";
import { makeManifest } from "../integrity/manifest";
import { listVolumes } from "../volumes/listing";
import { volumesOf } from "../volumes/volumes";
import { compareReleases, type ReleaseSide } from "./compare";

const w = tempWorkshop();

const sides = new Map<string, Promise<ReleaseSide>>();

/** Each release is read once, whoever asks for it. */
function side(image: keyof typeof IMAGES, manifest = true): Promise<ReleaseSide> {
  const key = `${image} ${manifest}`;
  const known = sides.get(key) ?? read(image, manifest);
  sides.set(key, known);
  return known;
}

async function read(image: keyof typeof IMAGES, manifest: boolean): Promise<ReleaseSide> {
  const source = memory(IMAGES[image].make(w));
  const { inspection, drivers } = await inspect(source, { name: image, depth: "deep" });
  const listing = await listVolumes(await volumesOf(new CachedSource(source)));
  return {
    inspection,
    drivers,
    listing,
    manifest: manifest ? await makeManifest(source, { name: image, make: nativeHasher }) : null,
  };
}

test("what a new release gained", async () => {
  const [old, young] = [await side("bollard4"), await side("bollard5")];
  const { ways, drivers, programs, files, systems } = compareReleases(old, young);
  expect(ways).toEqual({
    gained: ["uefi ia32 optical", "uefi ia32 usb", "uefi x64 optical", "uefi x64 usb"],
    lost: [],
  });
  expect(drivers).toMatchObject({ gained: ["e1000e", "iwlwifi", "megaraid_sas", "sdhci_pci", "vmd"], lost: [] });
  expect(programs.map((each) => [each.path, each.change])).toEqual([
    ["/EFI/BOOT/BOOTIA32.EFI", "gained"],
    ["/EFI/BOOT/BOOTX64.EFI", "gained"],
  ]);
  expect(files?.gained).toContain("/live/filesystem.squashfs");
  expect(files?.changed).toContain("/.disk/info");
  expect(files?.by).toBe("digest");
  expect(systems.lost).toHaveLength(1);
});

test("the other way round everything is lost that was gained", async () => {
  const [old, young] = [await side("bollard4"), await side("bollard5")];
  const [there, back] = [compareReleases(old, young), compareReleases(young, old)];
  for (const part of ["ways", "signers", "systems", "kernels"] as const)
    expect(back[part]).toEqual({ gained: there[part].lost, lost: there[part].gained });
  expect(back.files?.gained).toEqual(there.files?.lost);
  expect(back.files?.same).toBe(there.files?.same);
});

test("a loader that is signed by one more, with the same content", async () => {
  const { signers, programs } = compareReleases(await side("lantern11"), await side("lantern12"));
  expect(signers).toEqual({ gained: ["Norlight Third Party Signer 2023"], lost: [] });
  expect(programs).toEqual([
    {
      path: "/EFI/BOOT/BOOTX64.EFI",
      change: "changed",
      signersBefore: ["Norlight Third Party Signer 2011"],
      signersAfter: ["Norlight Third Party Signer 2011", "Norlight Third Party Signer 2023"],
      generations: [],
    },
  ]);
});

test("a release and itself differ in nothing; without manifests sizes and times are compared", async () => {
  const one = await side("bollard5", false);
  const same = compareReleases(one, one);
  expect(same).toMatchObject({ programs: [], files: { gained: [], lost: [], changed: [], by: "size" } });
  expect(same.files?.same).toBeGreaterThan(5);
  expect(compareReleases({ ...one, listing: null }, one).files).toBeNull();
  expect(compareReleases({ ...one, drivers: null }, one).drivers).toBeNull();
});
