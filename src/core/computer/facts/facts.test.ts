import { factsProblemText } from "../../words/collect";
import { startFactsOf, startProfile } from "./profile";
import { readFacts } from "./schema";

const read = (value: object) => readFacts(JSON.stringify({ schema: "creel.facts/1", ...value }));

test("the least facts are none at all: everything is unknown, nothing is a default", () => {
  const reading = read({});
  expect(reading).toMatchObject({
    ok: true,
    facts: { firmware: { kind: null, arch: null, secureBoot: null }, disks: null, ports: null, cpu: null },
  });
});

test("fields that this version does not know are no reason to refuse a file", () => {
  expect(read({ firmware: { kind: "uefi", hobby: "sailing" }, mood: "calm" })).toMatchObject({
    ok: true,
    facts: { firmware: { kind: "uefi" } },
  });
});

test.each([
  ["x86", "ia32"],
  ["x86_64", "x64"],
  ["aarch64", "aa64"],
  ["riscv64", "riscv64"],
])("the architecture %s is %s", (written, meant) => {
  expect(read({ firmware: { arch: written }, cpu: { arch: written } })).toMatchObject({
    ok: true,
    facts: { firmware: { arch: meant }, cpu: { arch: meant } },
  });
});

test.each([
  ["{", /not JSON/],
  ["[]", /"schema" is missing/],
  ['{"schema":"creel.facts/2"}', /"creel.facts\/2", where "creel.facts\/1" is needed/],
  ['{"schema":"creel.facts/1","firmware":{"legacyMode":"sometimes"}}', /^firmware\.legacyMode: /],
  ['{"schema":"creel.facts/1","disks":[{"name":"sda","bytes":"big"}]}', /^disks\.0\.bytes: /],
  ['{"schema":"creel.facts/1","firmware":{"secureBoot":{"db":"%%%"}}}', /^firmware\.secureBoot\.db: is not base64/],
])("%s is refused with its place", (content, problem) => {
  const reading = readFacts(content);
  expect(reading.ok ? "read" : factsProblemText(reading.problem)).toMatch(problem);
});

test("a profile is short enough to be indexed, and the same for facts that are alike", () => {
  const one = read({
    firmware: {
      kind: "uefi",
      arch: "riscv64",
      legacyMode: "absent",
      secureBoot: { state: "absent" },
      fastBoot: "off",
      usbStart: "off",
    },
    ports: { usb: 4, optical: false },
  });
  const other = read({
    firmware: {
      kind: "uefi",
      arch: "riscv64",
      legacyMode: "absent",
      secureBoot: { state: "absent" },
      fastBoot: "off",
      usbStart: "off",
      version: "9",
    },
    ports: { usb: 2, optical: false },
  });
  if (!one.ok || !other.ok) throw new Error("unread");
  expect(startProfile(one.facts)).toBe(startProfile(other.facts));
  expect(startProfile(startFactsOf(one.facts))).toBe(startProfile(one.facts));
});
