import { IMAGES } from "../../scripts/demo/images";
import { run } from "../../scripts/media/workshop";
import { tempWorkshop } from "../../test/support/workshop";
import { emulate } from "./emulator";

// Reference: SeaBIOS and OVMF under QEMU themselves.
const w = tempWorkshop();
const PNG = [0x89, 0x50, 0x4e, 0x47];

test("an image that starts is seen to start, with its text and its screen, and is not written to", async () => {
  const image = IMAGES.bollard5.make(w);
  const before = run("sha256sum", [image]);
  const bios = await emulate(image, { firmware: "bios", as: "usb" });
  expect(bios.end).toBe("went-on");
  expect([...(bios.picture ?? [])].slice(0, 4)).toEqual(PNG);
  const uefi = await emulate(image, { firmware: "uefi-x64", as: "usb" });
  expect(uefi.end).toBe("went-on");
  expect(uefi.text).toContain("BdsDxe: starting Boot");
  expect(run("sha256sum", [image])).toBe(before);
});

test("one that does not start is seen not to", async () => {
  const blank = w.blank("blank, with a comma.img", 8);
  expect(await emulate(blank, { firmware: "bios", as: "usb" })).toMatchObject({ end: "gave-up" });
  const wrong = IMAGES.lantern11.make(w);
  expect((await emulate(wrong, { firmware: "uefi-ia32", as: "usb" })).end).toBe("gave-up");
});
