import { IMAGES } from "../../../scripts/demo/images";
import { run } from "../../../scripts/media/workshop";
import { signed } from "../../../test/referee/keys";
import { SET_UPS } from "../../../test/referee/set-ups";
import { tempWorkshop } from "../../../test/support/workshop";
import { emulate } from "./emulator";

// Reference: SeaBIOS and OVMF under QEMU themselves.
const w = tempWorkshop();
const MACHINE = { as: "usb", lists: null } as const;
/** Of what goes on nothing more is told, however long one waits. */
const SOON = { ...MACHINE, quietMs: 1500 };
const PNG = [0x89, 0x50, 0x4e, 0x47];

test("an image that starts is seen to start, with its text and its screen, and is not written to", async () => {
  const image = IMAGES.bollard5.make(w);
  const before = run("sha256sum", [image]);
  const bios = await emulate(image, { ...SOON, firmware: "bios" });
  expect(bios.end).toBe("went-on");
  expect([...(bios.picture ?? [])].slice(0, 4)).toEqual(PNG);
  const uefi = await emulate(image, { ...SOON, firmware: "uefi-x64" });
  expect(uefi.end).toBe("went-on");
  expect(uefi.text).toContain("BdsDxe: starting Boot");
  expect(run("sha256sum", [image])).toBe(before);
});

test("one that does not start is seen not to", async () => {
  const blank = w.blank("blank, with a comma.img", 8);
  expect(await emulate(blank, { ...MACHINE, firmware: "bios" })).toMatchObject({ end: "gave-up" });
  const wrong = IMAGES.lantern11.make(w);
  expect((await emulate(wrong, { ...MACHINE, firmware: "uefi-ia32" })).end).toBe("gave-up");
});

test("Secure Boot of the computer decides there as well", async () => {
  const secure = { ...MACHINE, firmware: "uefi-x64" as const };
  const north = w.fat("north.img", 24, 16, { "EFI/BOOT/BOOTX64.EFI": signed(w, w.efi("x64"), "north.efi", "north") });
  const allowed = await emulate(north, { ...secure, quietMs: SOON.quietMs, lists: SET_UPS.north(w) });
  expect(allowed.end).toBe("went-on");
  const refused = await emulate(north, { ...secure, lists: SET_UPS.south(w) });
  expect(refused).toMatchObject({ end: "refused", text: expect.stringContaining("Access Denied") });
});

test("it is switched off where nobody waits for it any more", async () => {
  const blank = w.blank("endless.img", 8);
  const signal = AbortSignal.timeout(1200);
  expect(await emulate(blank, { ...MACHINE, firmware: "uefi-x64", signal })).toMatchObject({
    end: "died",
    picture: null,
  });
});
