import type { ContainedSystem } from "../../medium/contents/schema";
import type { ReleasePart } from "./parts";
import { withoutSystemFilesPart } from "./release-part";

const system = (role: "installs" | "runs", from: string): ContainedSystem => ({
  ...{
    family: "windows",
    name: "Gannet Desk",
    version: "11.4",
    build: 31140,
    edition: null,
    arch: "x64",
    language: null,
  },
  ...{ role, from },
});
const release = (systems: ContainedSystem[] | null): ReleasePart => ({
  ...{ name: "Lantern 12", kit: "Lantern", version: "12", family: "PE", madeOn: null, arch: "x64", drivers: null },
  ...{ systems, facts: { purposes: ["start-up-repair", "reinstall"], opens: [], abilities: [] } },
});
const ARCHIVE = system("installs", "/sources/install.wim");
const PART = system("installs", "/sources/install2.swm");
const ENVIRONMENT = system("runs", "/sources/boot.wim");
const DISC = system("installs", "/.disk/info");

test.each<[string, ContainedSystem[], ContainedSystem[], string[]]>([
  ["its archive goes, its environment stays", [ARCHIVE, PART, ENVIRONMENT], [ENVIRONMENT], ["start-up-repair"]],
  ["what it installs otherwise stays", [ARCHIVE, DISC], [DISC], ["start-up-repair", "reinstall"]],
])("made without system files: %s", (_, systems, left, purposes) => {
  const lean = withoutSystemFilesPart(release(systems));
  expect(lean.version).toBe("12 without system files");
  expect([lean.name, lean.systems, lean.facts.purposes]).toEqual(["Lantern 12 without system files", left, purposes]);
});

test.each([
  ["it has no such archive", [DISC, ENVIRONMENT]],
  ["it was never read", null],
])("made without system files, it is what it was: %s", (_, systems) => {
  const part = release(systems);
  expect(withoutSystemFilesPart(part)).toBe(part);
});
