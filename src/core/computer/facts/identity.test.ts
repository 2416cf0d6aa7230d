import { type Identity, identityKey, identityOf, likeness, recognised } from "./identity";
import { readFacts } from "./schema";

const NONE: Identity = { tag: null, make: null, serial: null, uuid: null, addresses: [], disks: [] };
const identity = (told: Partial<Identity>): Identity => ({ ...NONE, ...told });
const UUID = "4c4c4544-0042-3510-8048-b2c04f4e3332";
const MAC = "00:16:cb:0a:0b:0c";
const found = (told: Partial<Identity>, ...recorded: Partial<Identity>[]) => {
  const candidates = recorded.map((each, nth) => ({ nth, identity: identity(each) }));
  return recognised(identity(told), candidates)?.nth ?? null;
};

test("what tells a computer is read from its facts; sticks and fillers tell nothing", () => {
  const told = readFacts(
    JSON.stringify({
      schema: "creel.facts/1",
      computer: {
        tag: "QX-014",
        make: "Corvane",
        serial: "COR4411 ",
        uuid: UUID.toUpperCase(),
        addresses: [MAC, "zz"],
      },
      disks: [
        { name: "a", bytes: 1, serial: "SK-1" },
        { name: "b", bytes: 1, serial: "STICK", removable: true },
      ],
    }),
  );
  if (!told.ok) throw new Error(told.problem.code);
  expect(identityOf(told.facts)).toEqual({
    ...{ tag: "qx-014", make: "corvane", serial: "cor4411", uuid: UUID, addresses: [MAC], disks: ["sk-1"] },
  });
});

// Common practice: a board's number and a serial go with the computer, disks and adapters move.
test.each<[string, Partial<Identity>, Partial<Identity>[], number | null]>([
  ["the serial", { serial: "s1", make: "corvane" }, [{ serial: "s2" }, { serial: "s1", make: "corvane" }], 1],
  ["the board's number", { uuid: UUID }, [{ uuid: UUID, serial: "s1" }], 0],
  ["the tag that was typed", { tag: "a-1" }, [{ tag: "a-1", serial: "s1" }], 0],
  ["the serial of two makers", { serial: "1", make: "corvane" }, [{ serial: "1", make: "tarn" }], null],
  ["two with one serial", { serial: "s1" }, [{ serial: "s1" }, { serial: "s1" }], null],
  ["a tag on another board", { tag: "a-1", uuid: UUID }, [{ tag: "a-1", uuid: UUID.replace("4", "5") }], null],
  ["a tag on another serial", { tag: "a-1", serial: "s9" }, [{ tag: "a-1", serial: "s1" }], null],
  ["a board that came into another case", { uuid: UUID, serial: "s2" }, [{ uuid: UUID, serial: "s1" }], null],
  ["a serial with another board", { uuid: UUID, serial: "s1" }, [{ uuid: UUID.replace("4", "5"), serial: "s1" }], null],
  ["an address alone", { addresses: [MAC] }, [{ addresses: [MAC] }], 0],
  ["an address, and a serial where none was recorded", { addresses: [MAC], serial: "s1" }, [{ addresses: [MAC] }], 0],
  ["an address in another computer", { addresses: [MAC], serial: "s2" }, [{ addresses: [MAC], serial: "s1" }], null],
  ["a disk in another computer", { disks: ["d"], serial: "s2" }, [{ disks: ["d"], serial: "s1" }], null],
  ["a disk, and nothing else known", { disks: ["d"] }, [{ disks: ["d"] }], 0],
  ["a disk of a computer of another maker", { disks: ["d"], make: "tarn" }, [{ disks: ["d"], make: "corvane" }], null],
  ["nothing", { make: "corvane" }, [{ make: "corvane" }], null],
])("%s", (_what, told, recorded, expected) => {
  expect(found(told, ...recorded)).toBe(expected);
});

test("what speaks for two being one, and what against it", () => {
  const one = identity({ serial: "s1", uuid: UUID, disks: ["a", "b"], make: "corvane" });
  const other = identity({ serial: "s2", uuid: UUID, disks: ["b"], make: "tarn" });
  expect(likeness(one, other)).toEqual({ same: ["uuid", "disk"], other: ["make", "serial"] });
});

test("a report is known again by all that it tells; two boards with one number are two", () => {
  const key = (told: Partial<Identity>) => identityKey(identity(told));
  expect(key({ uuid: UUID, serial: "s" })).toBe(key({ uuid: UUID, serial: "s", tag: "a-1" }));
  expect(key({ uuid: UUID, serial: "s" })).not.toBe(key({ uuid: UUID, serial: "t" }));
  expect(key({ serial: "s", make: "tarn" })).not.toBe(key({ serial: "s", make: "corvane" }));
  expect([key({}), key({ make: "tarn", tag: "a-1" })]).toEqual([null, null]);
});

test.each(["To be filled by O.E.M.", "Default string", "0123456789", "123456789", "00000000", "None", "  "])(
  "a serial of %j is nobody's",
  (serial) => {
    const told = readFacts(JSON.stringify({ schema: "creel.facts/1", computer: { serial } }));
    expect(told.ok && identityOf(told.facts).serial).toBeNull();
  },
);
