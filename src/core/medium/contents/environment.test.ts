import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { run } from "../../../../scripts/media/workshop";
import { hive } from "../../../../test/support/hive";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { DriverIndex } from "../drivers/driver-set";
import { inspect } from "../inspection/inspect";

// A boot archive with drivers in its own store, packed by wimlib and put on a disc by xorriso. The layout is Microsoft's
// ("Driver Store"); the files are made here.
const w = tempWorkshop();
const STORE = "Windows/System32/DriverStore/FileRepository";
const inf = (models: string, ids: string[]) =>
  [
    ...["[Version]", 'Signature="$WINDOWS NT$"', "Class=SCSIAdapter", "[Manufacturer]"],
    ...[`%Maker%=Models,${models}`, `[Models.${models}]`, ...ids.map((id) => `%Device%=Install,${id}`)],
    ...["[Strings]", 'Maker="Northlight"', 'Device="Controller"', ""],
  ].join("\r\n");

function archive(
  name: string,
  files: Record<string, string | Uint8Array>,
  properties: Record<string, string>,
  boot = true,
): string {
  const folder = w.path(`tree of ${name}`);
  for (const [path, text] of Object.entries(files)) {
    mkdirSync(join(folder, path, ".."), { recursive: true });
    writeFileSync(join(folder, path), text);
  }
  const path = w.path(name);
  run("wimcapture", [folder, path, name, "--quiet", "--compress=LZX"]);
  for (const [key, value] of Object.entries(properties))
    run("wiminfo", [path, "1", `--image-property=${key}=${value}`, ...(boot ? ["--boot"] : [])]);
  return path;
}

const PE = { "WINDOWS/ARCH": "9", "WINDOWS/INSTALLATIONTYPE": "WindowsPE" };
const boot = archive(
  "boot.wim",
  {
    [`${STORE}/nlstor.inf_amd64_1/nlstor.inf`]: inf("NTamd64", ["PCI\\VEN_8086&DEV_9A0B"]),
    [`${STORE}/nlstor.inf_amd64_1/nlstor.sys`]: "MZ",
    [`${STORE}/old.inf_x86_2/old.inf`]: inf("NTx86", ["PCI\\VEN_1000&DEV_0097"]),
    // What was installed of the store stands here once more.
    "Windows/INF/oem0.inf": inf("NTamd64", ["PCI\\VEN_8086&DEV_9A0B"]),
    "Windows/INF/notes.txt": "no driver",
  },
  PE,
);
const bare = archive("older.wim", { "Windows/INF/storahci.inf": inf("NTamd64", ["PCI\\CC_010601"]) }, PE);
const install = archive(
  "install.wim",
  { [`${STORE}/a.inf_1/a.inf`]: inf("NTamd64", ["PCI\\VEN_1234&DEV_1"]) },
  {
    "WINDOWS/INSTALLATIONTYPE": "Client",
  },
  false,
);

function disc(name: string, files: Record<string, string>): string {
  const path = w.path(name);
  const maps = Object.entries(files).flatMap(([to, from]) => ["-map", from, to]);
  run("xorriso", ["-outdev", `stdio:${path}`, "-volid", "KIT", ...maps, "-commit"]);
  return path;
}

test("the drivers in a boot archive's store are read by a deep look, and a quick one says that they are left", async () => {
  const path = disc("kit.iso", { "/sources/boot.wim": boot, "/sources/install.wim": install });
  const { drivers, inspection } = await inspect(memory(path), { name: "kit.iso", depth: "deep" });
  expect(drivers.map(({ path: from, arch, installed }) => [from, arch, installed])).toEqual([
    [`/sources/boot.wim: /${STORE}/nlstor.inf_amd64_1/nlstor.inf`, "x64", true],
    [`/sources/boot.wim: /${STORE}/old.inf_x86_2/old.inf`, "ia32", true],
  ]);
  const [claimed] = new DriverIndex(drivers).claimants("pci:v00008086d00009A0Bsv00001028sd00000A20bc01sc04i00");
  expect(claimed?.driver).toBe("nlstor.inf");
  // What is installed from an archive is no driver of what runs.
  expect(JSON.stringify(drivers)).not.toContain("VEN_1234");
  expect(inspection.contents?.drivers?.entries).toBe(2);
  const quick = await inspect(memory(path), { name: "kit.iso", depth: "quick" });
  expect(quick.drivers).toEqual([]);
  expect(JSON.stringify(quick.inspection)).toContain("/sources/boot.wim");
});

test("without a store the installed ones are its drivers", async () => {
  const path = disc("older.iso", { "/sources/boot.wim": bare });
  const { drivers } = await inspect(memory(path), { name: "older.iso", depth: "deep" });
  expect(drivers).toMatchObject([{ path: "/sources/boot.wim: /Windows/INF/storahci.inf", installed: true }]);
});

test("what an environment is, from its registry; what it starts, and whether that is there", async () => {
  const software = hive(
    w,
    "SOFTWARE",
    String.raw`
[HKEY\Microsoft\Windows NT\CurrentVersion]
"CurrentBuildNumber"="26100"
"CurrentVersion"="6.3"
"CurrentMajorVersionNumber"=dword:0000000a
"CurrentMinorVersionNumber"=dword:00000000
"UBR"=dword:00000731
"EditionID"="WindowsPE"

[HKEY\Microsoft\Windows\CurrentVersion\Component Based Servicing\Packages\WinPE-WMI-Package~31bf3856ad364e35~amd64~~10.0.26100.1]
"CurrentState"=dword:00000070

[HKEY\Microsoft\Windows\CurrentVersion\Component Based Servicing\Packages\WinPE-WMI-Package~31bf3856ad364e35~amd64~en-GB~10.0.26100.1]
"CurrentState"=dword:00000070

[HKEY\Microsoft\Windows\CurrentVersion\Component Based Servicing\Packages\WinPE-SecureStartup-Package~31bf3856ad364e35~amd64~~10.0.26100.1]
"CurrentState"=dword:00000070
`,
  );
  const system = hive(
    w,
    "SYSTEM",
    String.raw`
[HKEY\Select]
"Current"=dword:00000002

[HKEY\ControlSet002\Control\Session Manager\Environment]
"PROCESSOR_ARCHITECTURE"="AMD64"

[HKEY\ControlSet002\Control\Nls\Language]
"Default"="0409"
"InstallLanguage"="0809"
`,
  );
  const config = "Windows/System32/config";
  const own = archive(
    "told.wim",
    {
      [`${config}/SOFTWARE`]: readFileSync(software),
      [`${config}/SYSTEM`]: readFileSync(system),
      "Windows/System32/winpeshl.ini": [
        ...["[LaunchApps]", "%SYSTEMROOT%\\System32\\wpeinit.exe", "; a remark", "X:\\Tools\\workbench.exe, /quiet"],
        ...['"X:\\Program Files\\gone.exe", -x', "D:\\elsewhere.exe"],
      ].join("\r\n"),
      "Windows/System32/wpeinit.exe": "MZ",
      "Tools/Workbench.exe": "MZ",
    },
    PE,
  );
  const path = disc("told.iso", { "/sources/boot.wim": own });
  const { inspection } = await inspect(memory(path), { name: "told.iso", depth: "deep" });
  const [environment] = inspection.contents.environments;
  expect(environment).toMatchObject({
    ...{ path: "/sources/boot.wim", index: 1, arch: "x64", version: "10.0.26100.1841", build: 26_100 },
    ...{ language: "en-GB", components: ["WinPE-SecureStartup", "WinPE-WMI"], isDirty: false },
    starts: [
      { program: "%SYSTEMROOT%\\System32\\wpeinit.exe", isThere: true },
      { program: "X:\\Tools\\workbench.exe", isThere: true },
      { program: "X:\\Program Files\\gone.exe", isThere: false },
      { program: "D:\\elsewhere.exe", isThere: null },
    ],
  });
  expect(environment?.memoryBytes).toBeGreaterThan(512 << 20);
  expect(inspection.contents.systems).toContainEqual(
    expect.objectContaining({ role: "runs", family: "windows", version: "10.0.26100.1841", arch: "x64" }),
  );
});

test("without winpeshl.ini it does the lines of startnet.cmd", async () => {
  const own = archive(
    "startnet.wim",
    {
      "Windows/System32/startnet.cmd":
        "@echo off\r\nwpeinit\r\nstart /wait X:\\Tools\\menu.cmd\r\nrem done\r\n:end\r\n",
      "Windows/System32/wpeinit.exe": "MZ",
    },
    PE,
  );
  const { inspection } = await inspect(memory(own), { name: "startnet.wim", depth: "deep" });
  expect(inspection.contents.environments[0]?.starts).toEqual([
    { program: "wpeinit", isThere: true },
    { program: "X:\\Tools\\menu.cmd", isThere: false },
  ]);
  expect(inspection.contents.environments[0]).toMatchObject({ version: null, arch: null, language: null });
});

test("a driver whose program is not there drives nothing", async () => {
  const service = (file: string) => `[Install.Services]\r\nAddService=x,2,X\r\n[X]\r\nServiceBinary=%12%\\${file}\r\n`;
  const own = archive(
    "programs.wim",
    {
      [`${STORE}/here.inf_1/here.inf`]: inf("NTamd64", ["PCI\\VEN_8086&DEV_0001"]) + service("here.sys"),
      [`${STORE}/here.inf_1/Here.sys`]: "MZ",
      [`${STORE}/base.inf_1/base.inf`]: inf("NTamd64", ["PCI\\VEN_8086&DEV_0002"]) + service("base.sys"),
      "Windows/System32/drivers/base.sys": "MZ",
      [`${STORE}/gone.inf_1/gone.inf`]: inf("NTamd64", ["PCI\\VEN_8086&DEV_0003"]) + service("gone.sys"),
    },
    PE,
  );
  const { drivers } = await inspect(memory(own), { name: "programs.wim", depth: "deep" });
  expect(drivers.flatMap((each) => Object.keys(each.drivers)).sort()).toEqual(["base.inf", "here.inf"]);
});

test("the same of an archive by itself", async () => {
  const { drivers, inspection } = await inspect(memory(boot), { name: "boot.wim", depth: "deep" });
  expect(inspection.container).toBe("wim");
  expect(drivers.map(({ path }) => path)).toEqual([
    `/boot.wim: /${STORE}/nlstor.inf_amd64_1/nlstor.inf`,
    `/boot.wim: /${STORE}/old.inf_x86_2/old.inf`,
  ]);
  expect((await inspect(memory(install), { name: "install.wim", depth: "deep" })).drivers).toEqual([]);
});

test("a disc with two trees of the same files: its archive, drivers and environment are told once", async () => {
  const folder = w.path("bridge");
  mkdirSync(join(folder, "sources"), { recursive: true });
  writeFileSync(join(folder, "sources/boot.wim"), readFileSync(boot));
  run("genisoimage", ["-quiet", "-udf", "-J", "-R", "-o", w.path("bridge.iso"), folder]);
  const { drivers, inspection } = await inspect(memory(w.path("bridge.iso")), { name: "bridge.iso", depth: "deep" });
  expect(inspection.container).toBe("iso9660+udf");
  expect([inspection.contents.wims?.length, inspection.contents.environments.length, drivers.length]).toEqual([
    1, 1, 2,
  ]);
});
