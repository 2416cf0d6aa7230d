/** Where the computers report from that nobody recorded. */
export const ARRIVED_AT = "North Pier";

const system = { family: "windows", name: "Gannet Desk 11.4", version: "11.4.31140", arch: "x64" };
const firmware = { kind: "uefi", arch: "x64", legacyMode: "absent", secureBoot: { state: "on" } };

/** What they told of themselves; the last one has a disk that another computer had. */
export const ARRIVALS: readonly object[] = [
  {
    computer: { make: "Tarn", model: "Box 3", serial: "TB3-20417", form: "desktop", addresses: ["00:16:cb:20:41:70"] },
    ...{ firmware, memoryBytes: 16 * 2 ** 30, systems: [system] },
    disks: [{ name: "nvme0n1", bytes: 512_110_190_592, bus: "nvme", serial: "SKN-884120" }],
  },
  {
    computer: { make: "Tarn", model: "Box 3", serial: "TB3-20418", form: "desktop", addresses: ["00:16:cb:20:41:71"] },
    ...{ firmware, memoryBytes: 16 * 2 ** 30, systems: [system] },
    disks: [{ name: "nvme0n1", bytes: 512_110_190_592, bus: "nvme", serial: "SKN-884131" }],
  },
  {
    computer: { make: "Ostrel", model: "Block 5", serial: "OB5-1177", form: "desktop" },
    ...{ firmware, memoryBytes: 8 * 2 ** 30, systems: [system] },
    disks: [{ name: "sda", bytes: 256_060_514_304, bus: "sata", serial: "SDA630766" }],
  },
];
