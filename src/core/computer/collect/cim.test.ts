import { applyMerge, NO_PROVENANCE } from "../facts/merge";
import { readCim } from "./cim";
import { readDocument } from "./read";

// Fixtures are made from the documented classes: Microsoft, "CIM Win32 provider", "Storage Management API classes",
// "Win32_EncryptableVolume"; a real Windows cannot be run here.
const GUID = { esp: "{c12a7328-f81f-11d2-ba4b-00a0c93ec93b}", data: "{ebd0a0a2-b9e5-4433-87c0-68b6b72699c7}" };
const path = (nth: number) => `\\\\?\\Volume{00000000-0000-0000-0000-00000000000${nth}}\\`;
const dump = (more: { classes?: object; registry?: object; variables?: object } & Record<string, unknown> = {}) => ({
  schema: "creel.cim/1",
  ...{ at: "2026-11-20T08:00:00Z", by: "creel-collect.ps1 2", tag: null, culture: "en-GB", secureBoot: true },
  ...more,
  classes: {
    Win32_ComputerSystem: [{ Manufacturer: "Corvane", Model: "Slate 14" }],
    Win32_ComputerSystemProduct: [
      {
        Vendor: "Corvane",
        Name: "Slate 14",
        IdentifyingNumber: "COR4411",
        UUID: "4C4C4544-0042-3510-8048-B2C04F4E3332",
      },
    ],
    Win32_BIOS: [{ Manufacturer: "Norlight Firmware", SMBIOSBIOSVersion: "2.18", SerialNumber: "COR4411" }],
    Win32_SystemEnclosure: [{ ChassisTypes: [10], SerialNumber: "COR4411", SMBIOSAssetTag: "QX-014" }],
    Win32_Processor: [{ Architecture: 9, Name: "Norlight N5 2.4" }],
    Win32_PhysicalMemory: [{ Capacity: "8589934592" }, { Capacity: 8589934592 }],
    Win32_OperatingSystem: [
      {
        ...{ Caption: "Gannet Desk 11 Office", Version: "11.4.31140", BuildNumber: "31140" },
        ...{ OSArchitecture: "64-bit", SystemDrive: "C:" },
      },
    ],
    Win32_CDROMDrive: [],
    Win32_PnPEntity: [
      {
        Name: "Storage controller",
        HardwareID: ["PCI\\VEN_8086&DEV_9A0B&SUBSYS_0AB01028&REV_00", "PCI\\VEN_8086&DEV_9A0B&CC_010400"],
      },
      { Name: "A keyboard", HardwareID: ["HID\\VID_046D"] },
      { Name: "Nothing said", HardwareID: null },
    ],
    MSFT_NetAdapter: [
      { Name: "Ethernet", PermanentAddress: "0016CB0A0B0C", PnPDeviceID: "PCI\\VEN_8086", Virtual: false },
      { Name: "Dock", PermanentAddress: "0016CBFFFFFF", PnPDeviceID: "USB\\VID_0BDA", Virtual: false },
      { Name: "vEthernet", PermanentAddress: "00155D0A0B0C", PnPDeviceID: "ROOT\\VMS_MP", Virtual: true },
    ],
    MSFT_Disk: [
      {
        ...{ Number: 0, Size: 256060514304, LogicalSectorSize: 512, BusType: 17, PartitionStyle: 2 },
        ...{ FriendlyName: "Skua NV 256", SerialNumber: "  SK-77 " },
      },
      {
        ...{ Number: 1, Size: 8000000000, LogicalSectorSize: 4096, BusType: 7, PartitionStyle: 1 },
        ...{ FriendlyName: "Stick", SerialNumber: "" },
      },
      { Number: 2, Size: 64000000000, BusType: 16, PartitionStyle: 0, FriendlyName: "A pool" },
    ],
    MSFT_Partition: [
      {
        ...{ DiskNumber: 0, PartitionNumber: 1, GptType: GUID.esp, MbrType: null, Offset: 1048576, Size: 104857600 },
        ...{ DriveLetter: 0, AccessPaths: [path(1)], IsActive: false },
      },
      {
        ...{ DiskNumber: 0, PartitionNumber: 3, GptType: GUID.data, Offset: "122683392", Size: "200000000000" },
        ...{ DriveLetter: 67, AccessPaths: ["C:\\", path(2)] },
      },
      {
        ...{ DiskNumber: 1, PartitionNumber: 1, MbrType: 12, Offset: 1048576, Size: 7900000000, IsActive: true },
        ...{ DriveLetter: "E", AccessPaths: ["E:\\", path(3)] },
      },
    ],
    MSFT_Volume: [
      {
        Path: path(1),
        DriveLetter: 0,
        FileSystem: "FAT32",
        FileSystemLabel: "",
        Size: 100663296,
        SizeRemaining: 70000000,
      },
      {
        ...{ Path: path(2), DriveLetter: 67, FileSystem: "NTFS", FileSystemLabel: "Desk" },
        ...{ Size: 199999995904, SizeRemaining: 120000000000 },
      },
      { Path: path(3), DriveLetter: "E", FileSystem: "RAW", Size: 0, SizeRemaining: 0 },
    ],
    Win32_EncryptableVolume: [{ DriveLetter: "C:", ConversionStatus: 1, ProtectionStatus: 1 }],
    ...more.classes,
  },
  registry: { PEFirmwareType: 2, UEFISecureBootEnabled: 1, EditionID: "Office", ...more.registry },
  variables: { PK: "AAAA", KEK: "BBBB", db: "CCCC", dbx: "DDDD", SetupMode: "AA==", ...more.variables },
});

function facts(value: object) {
  const bytes = new TextEncoder().encode(JSON.stringify(value));
  const reading = readDocument({ name: "facts.json", bytes, at: "2026-11-21T00:00:00.000Z" });
  if (!reading.ok) throw new Error(reading.problem.code);
  expect(reading.kind).toBe("cim");
  return { reading, facts: applyMerge(null, NO_PROVENANCE, [reading.observation], {}).facts };
}

test("classes, registry and variables become facts", () => {
  const { reading, facts: told } = facts(dump());
  expect(reading.observation.source).toMatchObject({ kind: "collector", at: "2026-11-20T08:00:00.000Z" });
  expect(told.computer).toEqual({
    ...{ tag: "QX-014", make: "Corvane", model: "Slate 14", serial: "COR4411", form: "laptop" },
    ...{ uuid: "4c4c4544-0042-3510-8048-b2c04f4e3332", addresses: ["00:16:cb:0a:0b:0c"] },
  });
  expect(told.firmware).toMatchObject({ kind: "uefi", arch: "x64", vendor: "Norlight Firmware", version: "2.18" });
  expect(told.firmware.secureBoot).toMatchObject({ state: "on", pk: "AAAA", db: "CCCC", dbx: "DDDD" });
  expect([told.cpu?.arch, told.memoryBytes, told.ports?.optical]).toEqual(["x64", 2 ** 34, false]);
  // A stick is told, and is no part of the computer.
  const disks = readCim(dump())?.facts.disks ?? [];
  expect(disks.map(({ name, bus, table, serial, sectorBytes }) => [name, bus, table, serial, sectorBytes])).toEqual([
    ["disk0", "nvme", "gpt", "SK-77", 512],
    ["disk1", "usb", "mbr", null, 4096],
  ]);
  expect(disks[1]?.partitions).toMatchObject([{ type: "0x0c", active: true, filesystem: null }]);
  expect(told.disks?.map(({ name }) => name)).toEqual(["disk0"]);
  expect(told.disks?.[0]?.partitions).toMatchObject([
    { number: 1, role: "esp", filesystem: "fat32", encryption: null, usedBytes: 30663296 },
    {
      ...{ number: 3, role: "system", filesystem: "ntfs", encryption: "bitlocker", label: "Desk" },
      ...{ start: 122683392, bytes: 200000000000, usedBytes: 79999995904 },
    },
  ]);
  expect(told.systems).toMatchObject([
    {
      ...{ family: "windows", name: "Gannet Desk 11 Office", build: 31140, edition: "Office", arch: "x64" },
      ...{ language: "en-GB", partition: "disk0 3" },
    },
  ]);
  expect(told.devices).toMatchObject([
    { class: "storage", modalias: "pci:v00008086d00009A0Bsv00001028sd00000AB0bc01sc04i00" },
  ]);
});

test.each([
  ["off", { secureBoot: false }, { state: "off" }],
  ["set-up mode", { secureBoot: false, variables: { SetupMode: "AQ==" } }, { state: "setup" }],
  ["a platform without it", { secureBoot: null, registry: { UEFISecureBootEnabled: null } }, { state: "absent" }],
  ["not asked with the rights for it", { secureBoot: null, variables: { db: null } }, { state: null, db: null }],
])("Secure Boot: %s", (_what, more, secureBoot) => {
  expect(facts(dump(more)).facts.firmware.secureBoot).toMatchObject(secureBoot);
});

test("BIOS has no Secure Boot; classes that did not answer leave their facts unknown", () => {
  const { facts: bios } = facts(dump({ registry: { PEFirmwareType: 1 } }));
  expect([bios.firmware.kind, bios.firmware.secureBoot, bios.firmware.arch]).toEqual(["bios", null, null]);
  const { facts: bare } = facts({ schema: "creel.cim/1", classes: { Win32_BIOS: { SerialNumber: "S1" } } });
  expect([bare.computer.serial, bare.disks, bare.devices, bare.systems, bare.ports?.optical ?? null]).toEqual([
    "S1",
    null,
    null,
    null,
    null,
  ]);
});

test.each([
  ["classes", { classes: "no" }],
  ["rows", { classes: { MSFT_Disk: [1, null, { Number: -1 }, { Number: "x", Size: {} }], Win32_BIOS: [[]] } }],
  ["deep", { classes: { Win32_PnPEntity: [{ HardwareID: { a: { b: [] } } }] }, registry: [] }],
  ["variables", { variables: { db: 5 }, at: "yesterday", culture: 7, tag: {} }],
])("what has another form than it should leaves facts unknown, and throws nothing: %s", (_what, more) => {
  const told = readCim({ schema: "creel.cim/1", ...more });
  if (told) expect(Object.keys(told.facts).length).toBeGreaterThan(0);
  expect(() => facts({ schema: "creel.cim/1", classes: {}, ...(told ? more : {}) })).not.toThrow();
});

test("a number of a board that is none says nothing, nor does an address that somebody made up", () => {
  const identity = (uuid: string, address: string) =>
    facts(
      dump({
        classes: {
          Win32_ComputerSystemProduct: [{ UUID: uuid }],
          MSFT_NetAdapter: [{ PermanentAddress: address, PnPDeviceID: "PCI\\VEN", Virtual: false }],
        },
      }),
    ).facts.computer;
  expect(identity("FFFFFFFF-FFFF-FFFF-FFFF-FFFFFFFFFFFF", "020000000001")).toMatchObject({
    uuid: null,
    addresses: null,
  });
  expect(identity("03000200-0400-0500-0006-000700080009", "000000000000")).toMatchObject({
    uuid: null,
    addresses: null,
  });
});
