import { readOsRelease } from "../../formats/os-release";
import type { Wim } from "../../formats/wim";
import type { ContainedSystem } from "./schema";

type Named = Omit<ContainedSystem, "role" | "from">;

/** A system by its os-release(5); build, architecture and language are not told there. */
export function systemOfOsRelease(text: string): Named | null {
  const system = readOsRelease(text);
  return system && { ...system, family: "linux", build: null, arch: null, language: null };
}

const ARCHITECTURES: Record<string, string> = {
  amd64: "x64",
  x86_64: "x64",
  i386: "ia32",
  arm64: "aa64",
  riscv64: "riscv64",
};

/**
 * `.disk/info` of Debian's family of discs: `Name 12.5.0 "Code" - Official amd64 NETINST … 20240210-11:27` (common
 * practice of debian-cd; there is no standard).
 */
export function systemOfDiskInfo(text: string): Named | null {
  const line = text.split("\n")[0] ?? "";
  const match = /^(.+?)\s+(\d[\w.]*)(?:\s+LTS)?\s*(?:"[^"]*")?\s*-\s*(.*)$/.exec(line);
  if (!match) return null;
  const [, name, version, rest] = match as unknown as [string, string, string, string];
  const arch = rest.split(/\s+/).find((word) => word in ARCHITECTURES);
  return {
    family: "linux",
    name: name.slice(0, 200),
    version: version.slice(0, 80),
    build: null,
    edition: null,
    arch: (arch && ARCHITECTURES[arch]) || null,
    language: null,
  };
}

/** The systems that an archive of images puts on a computer; environments to start from are left out. */
export function systemsOfWim(wim: Wim, path: string): ContainedSystem[] {
  return wim.images
    .filter(
      (image) => image.version !== null && image.installationType !== "WindowsPE" && image.edition !== "WindowsPE",
    )
    .map((image) => ({
      family: "windows",
      name: image.name,
      version: image.version,
      build: image.build,
      edition: image.edition,
      arch: image.arch,
      language: image.defaultLanguage ?? image.languages[0] ?? null,
      role: "installs" as const,
      from: path,
      ...(image.bytes > 0 ? { bytes: image.bytes } : {}),
    }));
}

/**
 * What a set-up program puts on a computer, and an environment does without: the archive of systems, whole or in parts.
 * Microsoft, "Split a Windows image file (.wim)" and "Windows Setup command-line options": install.wim, .esd or .swm in
 * \\sources.
 */
export function isSystemFile(path: string): boolean {
  return /^\/sources\/install\d*\.(wim|esd|swm)$/i.test(path);
}
