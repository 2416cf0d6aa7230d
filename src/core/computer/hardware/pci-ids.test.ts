import { readFileSync, writeFileSync } from "node:fs";
import { run } from "../../../../scripts/media/workshop";
import { tempWorkshop } from "../../../../test/support/workshop";
import { deviceUse, parseModalias, pciModalias } from "./modalias";
import { PciNames } from "./pci-ids";

const w = tempWorkshop();
/** The open list itself (PCI ID project), from Debian's hwdata. */
const text = readFileSync("/usr/share/hwdata/pci.ids", "utf8");
const names = new PciNames(text);

test("names are those that lspci prints from the same list", () => {
  const lines = text.split("\n").filter((line) => /^\t[0-9a-f]{4} /.test(line));
  expect(names.size).toBe(lines.length);
  const ids: [string, string][] = [
    ["8086", "9a0b"],
    ["144d", "a808"],
    ["10ec", "8168"],
    ["1af4", "1042"],
  ];
  for (const [vendor, device] of ids) {
    const space = Buffer.alloc(64);
    space.writeUInt16LE(Number.parseInt(vendor, 16), 0);
    space.writeUInt16LE(Number.parseInt(device, 16), 2);
    const hex = [0, 16, 32, 48].map(
      (at) =>
        `${at.toString(16).padStart(2, "0")}: ${[...space.subarray(at, at + 16)].map((byte) => byte.toString(16).padStart(2, "0")).join(" ")}`,
    );
    writeFileSync(w.path("pci.txt"), `00:00.0 x\n${hex.join("\n")}\n`);
    const printed = run("lspci", ["-F", w.path("pci.txt"), "-mm", "-v", "-i", "/usr/share/hwdata/pci.ids"]);
    const field = (name: string) => new RegExp(`^${name}:\\t(.*)$`, "m").exec(printed)?.[1];
    expect(names.name({ vendor, device })).toBe(`${field("Vendor")} ${field("Device")}`);
  }
});

test("what the list does not know keeps its numbers", () => {
  expect(names.name({ vendor: "8086", device: "ffff" })).toBe("Intel Corporation device ffff");
  expect(names.name({ vendor: "0002", device: "ffff" })).toBeNull();
});

test("a modalias and back, as the kernel writes it", () => {
  const modalias = "pci:v00008086d00009A0Bsv00001028sd00000AB0bc01sc04i00";
  const parsed = parseModalias(modalias);
  if (parsed?.bus !== "pci") throw new Error("unread");
  expect(pciModalias({ ...parsed, class: parsed.class + parsed.subClass })).toBe(modalias);
  expect(parseModalias("usb:v0951p1666d0110dc00dsc00dp00ic08isc06ip50in00")).toEqual({
    bus: "usb",
    vendor: "0951",
    product: "1666",
  });
  expect(parseModalias("acpi:PNP0303:")).toBeNull();
});

// Classes: PCI Code and ID Assignment Specification 1.1x; USB class codes of the USB-IF.
test.each([
  ["pci:v00008086d00009A0Bsv00001028sd00000AB0bc01sc04i00", "storage"],
  ["pci:v00008086d000015FBsv00001028sd00000AB0bc02sc00i00", "network"],
  ["pci:v00008086d00009A49sv00001028sd00000AB0bc03sc00i00", "display"],
  ["pci:v00008086d0000A0EDsv00001028sd00000AB0bc0Csc03i30", "usb-controller"],
  ["usb:v046DpC31Cd6402dc00dsc00dp00ic03isc01ip01in00", "input"],
  ["usb:v0951p1666d0110dc00dsc00dp00ic08isc06ip50in00", "storage"],
  ["virtio:d00000002v00001AF4", "storage"],
  ["acpi:LNXPWRBN:", "other"],
])("%s is for %s", (modalias, use) => {
  expect(deviceUse(modalias)).toBe(use);
});
