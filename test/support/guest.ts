import { type ChildProcess, execFileSync, spawn } from "node:child_process";
import { createHash } from "node:crypto";
import {
  chmodSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from "node:fs";
import { connect, type Socket } from "node:net";
import { tmpdir } from "node:os";
import { basename, dirname, join } from "node:path";
import { build } from "esbuild";
import { kernelPackage, unpackAll } from "../../scripts/kit/packages.mjs";
import { dependsOf, moduleName } from "../../scripts/kit/root.mjs";

// A computer without a database and without this project: Debian's kernel, BusyBox, Node and the program for bench hosts,
// in memory, under QEMU. What is plugged into it is a file here.

const ROOT = join(__dirname, "..", "..");
const KEPT = join(ROOT, ".creel", "guest");
const PACKAGES = join(ROOT, ".creel", "kit", "packages");
/** What the kernel needs to see USB, cards, a disk of its own, the network and FAT; what these need is found. */
const MODULES = [
  ...["virtio_pci", "virtio_net", "ahci", "sd_mod", "xhci_pci", "usb_storage", "uas", "sdhci_pci", "mmc_block"],
  ...["vfat", "nls_cp437", "nls_ascii"],
];

function run(command: string, args: string[], options: { cwd?: string; input?: string | Buffer } = {}): string {
  return execFileSync(command, args, {
    encoding: "utf8",
    maxBuffer: 2 ** 28,
    stdio: ["pipe", "pipe", "pipe"],
    ...options,
  });
}

/** Modules in the order in which they are loaded, by what each says that it depends on (modinfo, `depends=`). */
function loadOrder(folder: string): string[] {
  const files = new Map(
    run("find", [folder, "-name", "*.ko"])
      .trim()
      .split("\n")
      .map((file) => [moduleName(file), file]),
  );
  const order: string[] = [];
  const add = (name: string) => {
    const file = files.get(name);
    if (!file || order.includes(file)) return;
    for (const each of dependsOf(file)) add(each);
    order.push(file);
  };
  for (const name of MODULES) add(name);
  return order;
}

const INIT = (modules: string[]) => `#!/bin/busybox sh
/bin/busybox --install -s /bin
export PATH=/bin HOME=/state
mount -t proc proc /proc; mount -t sysfs sys /sys; mount -t devtmpfs dev /dev
${modules.map((name) => `insmod /modules/${name}`).join("\n")}
ip link set lo up; ip link set eth0 up
ip addr add 10.0.2.15/24 dev eth0; ip route add default via 10.0.2.2
for each in $(cat /proc/cmdline); do case $each in creel.*) export "\${each#creel.}";; esac; done
sleep 3
mount -t vfat "$(findfs LABEL=MOUNTED)" /mnt && echo "mounted a stick"
echo "$token" > /token
node /creel-bench.cjs --server "$server" --token-file /token --name guest --folder /state
echo "host ended: $?"
poweroff -f
`;

interface Parts {
  kernel: string;
  initrd: string;
}

/** The kernel and its first file system, made once for each version of the program. */
async function guestParts(): Promise<Parts> {
  mkdirSync(KEPT, { recursive: true });
  const [kernel, busybox] = unpackAll([kernelPackage(), "busybox-static"], PACKAGES).map(
    (each: { folder: string }) => each.folder,
  );
  if (!kernel || !busybox) throw new Error("Debian's kernel or BusyBox was not found.");
  const program = join(KEPT, "creel-bench.cjs");
  await build({
    ...{ entryPoints: [join(ROOT, "src", "cli", "host", "entry.ts")], outfile: program, bundle: true, minify: true },
    ...{ alias: { "@": join(ROOT, "src") }, platform: "node", format: "cjs", target: "node20", logLevel: "error" },
  });
  const modules = loadOrder(join(kernel, "lib", "modules"));
  const init = INIT(modules.map((file) => basename(file)));
  const key = createHash("sha256").update(readFileSync(program)).update(init).update(process.version).digest("hex");
  const initrd = join(KEPT, `initrd-${key.slice(0, 16)}.zst`);
  const vmlinuz = readdirSync(join(kernel, "boot")).find((each) => each.startsWith("vmlinuz")) ?? "";
  const parts = { kernel: join(kernel, "boot", vmlinuz), initrd };
  if (existsSync(initrd)) return parts;
  const tree = mkdtempSync(join(tmpdir(), "creel-guest-"));
  for (const each of ["bin", "dev", "proc", "sys", "mnt", "modules", "state", "tmp"]) mkdirSync(join(tree, each));
  copyFileSync(join(busybox, "bin", "busybox"), join(tree, "bin", "busybox"));
  copyFileSync(process.execPath, join(tree, "bin", "node"));
  // ld.so(8) finds them where the program was linked to look for them.
  for (const [, library] of run("ldd", [process.execPath]).matchAll(/(\/\S+) \(/g)) {
    mkdirSync(join(tree, dirname(library ?? "")), { recursive: true });
    copyFileSync(library ?? "", join(tree, library ?? ""));
  }
  for (const file of modules) copyFileSync(file, join(tree, "modules", basename(file)));
  copyFileSync(program, join(tree, "creel-bench.cjs"));
  writeFileSync(join(tree, "init"), init);
  for (const each of ["init", "bin/busybox", "bin/node"]) chmodSync(join(tree, each), 0o755);
  run("sh", ["-c", `find . | cpio -o -H newc --quiet | zstd -q -1 -T0 -o ${initrd}.new`], { cwd: tree });
  renameSync(`${initrd}.new`, initrd);
  rmSync(tree, { recursive: true, force: true });
  return parts;
}

export interface Guest {
  /** What its console has shown. */
  console: () => string;
  /** Asks QEMU something, by its machine protocol (QMP). */
  ask: (execute: string, args?: object) => Promise<unknown>;
  stop: () => Promise<void>;
}

/** Starts the guest with devices as QEMU's options name them; its server is on a port of this machine. */
export async function startGuest({ port, token }: { port: number; token: string }, devices: string[]): Promise<Guest> {
  const { kernel, initrd } = await guestParts();
  const folder = mkdtempSync(join(tmpdir(), "creel-qemu-"));
  const socket = join(folder, "qmp");
  const child: ChildProcess = spawn(
    "qemu-system-x86_64",
    [
      ...[
        "-machine",
        "q35",
        "-accel",
        "tcg,thread=multi",
        "-cpu",
        "max",
        "-m",
        "1024",
        "-smp",
        "2",
        "-nographic",
        "-no-reboot",
      ],
      ...["-nodefaults", "-serial", "stdio", "-qmp", `unix:${socket},server=on,wait=off`],
      ...["-kernel", kernel, "-initrd", initrd],
      ...["-append", `console=ttyS0 quiet panic=-1 creel.server=http://10.0.2.2:${port} creel.token=${token}`],
      ...["-netdev", "user,id=net", "-device", "virtio-net-pci,netdev=net", "-device", "qemu-xhci,id=usb,p2=10,p3=10"],
      ...devices,
    ],
    { stdio: ["ignore", "pipe", "pipe"] },
  );
  let shown = "";
  for (const stream of [child.stdout, child.stderr])
    stream?.on("data", (data) => {
      shown += data;
    });
  const ended = new Promise<void>((resolve) => child.once("exit", () => resolve()));
  const ask = await Promise.race([
    machineProtocol(socket),
    ended.then((): never => {
      throw new Error(`QEMU ended at once: ${shown.slice(-2000)}`);
    }),
  ]);
  return {
    console: () => shown,
    ask,
    stop: async () => {
      child.kill("SIGKILL");
      await ended;
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

async function machineProtocol(path: string): Promise<Guest["ask"]> {
  let socket: Socket | null = null;
  for (let tries = 0; socket === null; tries++) {
    socket = await new Promise<Socket | null>((resolve) => {
      const trying = connect(path);
      trying.once("connect", () => resolve(trying));
      trying.once("error", () => resolve(null));
    });
    if (tries > 200) throw new Error("QEMU did not come up.");
    if (!socket) await new Promise((resolve) => setTimeout(resolve, 50));
  }
  const own = socket;
  const waiting: ((answer: { return?: unknown; error?: { desc: string } }) => void)[] = [];
  let text = "";
  own.on("data", (data) => {
    text += data;
    for (let end = text.indexOf("\n"); end >= 0; end = text.indexOf("\n")) {
      const said = JSON.parse(text.slice(0, end));
      text = text.slice(end + 1);
      if ("return" in said || "error" in said) waiting.shift()?.(said);
    }
  });
  own.on("error", () => {});
  const ask: Guest["ask"] = (execute, args = {}) =>
    new Promise((resolve, reject) => {
      waiting.push(({ return: value, error }) => (error ? reject(new Error(error.desc)) : resolve(value)));
      own.write(`${JSON.stringify({ execute, arguments: args })}\n`);
    });
  await ask("qmp_capabilities");
  return ask;
}
