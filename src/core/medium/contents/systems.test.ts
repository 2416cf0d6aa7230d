import { systemOfDiskInfo, systemOfOsRelease } from "./systems";

// The forms that discs of Debian's family carry (common practice of debian-cd and of those who build on it).
test.each([
  [
    'Debian GNU/Linux 12.5.0 "Bookworm" - Official amd64 NETINST with firmware 20240210-11:27',
    "Debian GNU/Linux",
    "12.5.0",
    "x64",
  ],
  [
    'Debian GNU/Linux 12.5.0 "Bookworm" - Official arm64 DVD Binary-1 20240210-12:00',
    "Debian GNU/Linux",
    "12.5.0",
    "aa64",
  ],
  ['Kittiwake 24.04.1 LTS "Noble Kelp" - Release amd64 (20240827.1)', "Kittiwake", "24.04.1", "x64"],
  ['Bollard 5.0 "Harbour" - Official i386 LIVE 20250930-08:00\n', "Bollard", "5.0", "ia32"],
  ["Bollard 5.0 - built here", "Bollard", "5.0", null],
])("%s", (text, name, version, arch) => {
  expect(systemOfDiskInfo(text)).toMatchObject({ family: "linux", name, version, arch });
});

test.each(["", "nothing to see", "\0\0\0", "12.5 - amd64", `${"x ".repeat(4000)}`])("%j names no system", (text) => {
  expect(systemOfDiskInfo(text)).toBeNull();
});

test("os-release as a system; what names none is none", () => {
  const text = 'PRETTY_NAME="Bollard 5"\nNAME="Bollard"\nVERSION_ID="5.0"\nVARIANT="Rescue"\n';
  expect(systemOfOsRelease(text)).toMatchObject({ name: "Bollard", version: "5.0", edition: "Rescue" });
  expect(systemOfOsRelease("VERSION_ID=5\n")).toBeNull();
});
