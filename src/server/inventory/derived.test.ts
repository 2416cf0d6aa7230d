import { NO_PROVENANCE } from "@/core/computer/facts/merge";
import { FACTS_SCHEMA, factsSchema } from "@/core/computer/facts/schema";
import { DERIVED_VERSION, derivedColumns, searchText } from "./derived";

const facts = (more: object) => factsSchema.parse({ schema: FACTS_SCHEMA, ...more });
const columns = (more: object, own: object = {}) =>
  derivedColumns({ tag: "QX-1", name: null, facts: facts(more), provenance: NO_PROVENANCE, ...own });

test("what is looked for is small, and has no marks", () => {
  expect(searchText("Café ÅNGSTRÖM")).toBe("cafe angstrom");
});

test("the narrow row has what the list shows: the first system, the disk that it starts from, the youngest source", () => {
  expect(
    columns(
      {
        computer: { make: "Corvane", model: "Slate", serial: "S-1" },
        firmware: { kind: "uefi", arch: "x64", version: "2", legacyMode: "off", secureBoot: { state: "on" } },
        memoryBytes: 5,
        disks: [
          { name: "sda", bytes: 4e12, serial: "DATA", partitions: [{ number: 1, bytes: 1, role: "data" }] },
          { name: "sdb", bytes: 5e11, serial: "SYS", partitions: [{ number: 1, bytes: 1, role: "esp" }] },
          { name: "sdc", bytes: 1, serial: "STICK", removable: true },
        ],
        systems: [{ name: "Kittiwake", version: "9" }, { name: "Gannet Desk" }],
      },
      {
        name: "Café till",
        provenance: {
          sources: [
            { kind: "tool", name: "a", at: "2026-01-02T00:00:00.000Z", by: null },
            { kind: "hand", name: "b", at: "2026-05-01T00:00:00.000Z", by: "x" },
          ],
          facts: {},
        },
      },
    ),
  ).toMatchObject({
    make: "Corvane",
    firmwareVersion: "2",
    legacyMode: "off",
    secureBoot: "on",
    systemName: "Kittiwake",
    systemVersion: "9",
    memoryBytes: 5,
    diskBytes: 5e11,
    factsAt: new Date("2026-05-01T00:00:00Z"),
    search: "qx-1 cafe till s-1 corvane slate data sys",
    derived: DERIVED_VERSION,
  });
});

test("what is not recorded is null, and a search never grows past its column", () => {
  expect(columns({})).toMatchObject({ make: null, secureBoot: null, diskBytes: null, factsAt: null, systemName: null });
  const disks = Array.from({ length: 60 }, (_, index) => ({ name: `sd${index}`, bytes: 1, serial: "S".repeat(150) }));
  expect(columns({ disks }).search).toHaveLength(1000);
});
