import { dice } from "../../../../test/support/dice";
import { assemble, flatten, nameOfPart, pathPart } from "./paths";
import { FACTS_SCHEMA, type Facts, factsSchema } from "./schema";

function someFacts(seed: number): Facts {
  const roll = dice(seed);
  const maybe = <T>(value: T): T | null => (roll(3) === 0 ? null : value);
  return factsSchema.parse({
    schema: FACTS_SCHEMA,
    computer: {
      make: maybe("Corvane"),
      model: maybe("Slate/14"),
      serial: maybe(`S${roll(99)}`),
      form: maybe("laptop"),
    },
    firmware: {
      kind: maybe("uefi"),
      arch: maybe("x64"),
      secureBoot: maybe({ state: maybe("on"), db: maybe("AAAA") }),
      startOrder: maybe(["0001", "0002"].slice(0, roll(3))),
      keys: maybe({ setup: "F2" }),
    },
    memoryBytes: maybe(roll(1e9)),
    disks: maybe(
      Array.from({ length: roll(4) }, (_, index) => ({
        name: ["sda", "sda", "a%b/c", "nvme0n1"][index],
        bytes: roll(1e12),
        serial: maybe(`D${index}`),
        partitions: Array.from({ length: roll(4) }, (__, number) => ({
          number: number + 1,
          bytes: roll(1e9),
          role: maybe("data"),
          active: maybe(true),
        })),
      })),
    ),
    systems: maybe(Array.from({ length: roll(3) }, (_, index) => ({ name: `System ${index}`, version: maybe("1") }))),
    devices: maybe(
      ["pci:b", "pci:a", "usb:v1", "virtio:d1"].slice(0, roll(5)).map((modalias) => ({ modalias, name: maybe("x") })),
    ),
    ports: maybe({ usb: maybe(roll(9)), optical: maybe(false) }),
  });
}

/** Lists without members and groups without facts are not told by paths; what is known is. */
const known = (facts: Facts) => [...flatten(facts)].sort(([a], [b]) => (a < b ? -1 : 1));

test("any facts taken apart and put together say the same: 500 of them", () => {
  for (let seed = 1; seed <= 500; seed++) {
    const facts = someFacts(seed);
    const { facts: again, left } = assemble(flatten(facts));
    expect([seed, left, known(again)]).toEqual([seed, [], known(facts)]);
    expect([seed, again.disks ?? []]).toEqual([seed, facts.disks ?? []]);
  }
});

test.each(["sda", "a/b", "100%", "%2F", "a%2Fb/c%"])("the name %s survives in a path", (name) => {
  expect(pathPart(name)).not.toContain("/");
  expect(nameOfPart(pathPart(name))).toBe(name);
});
