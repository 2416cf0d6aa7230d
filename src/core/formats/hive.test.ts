import { run } from "../../../scripts/media/workshop";
import { damaged, dice } from "../../../test/support/dice";
import { hive } from "../../../test/support/hive";
import { memory, tempWorkshop } from "../../../test/support/workshop";
import { MemorySource } from "../kernel/source";
import { Hive, type HiveKey } from "./hive";

// Reference: hivex, which writes what is read here (hivexregedit) and lists it (hivexml).
const w = tempWorkshop();
const hexOf = (text: string) =>
  [...Buffer.from(`${text}\0`, "utf16le")].map((byte) => byte.toString(16).padStart(2, "0"));

const BIG = Array.from({ length: 40_000 }, (_, nth) => ((nth * 7) & 0xff).toString(16).padStart(2, "0")).join(",");
const file = hive(
  w,
  "sample.hive",
  `
[HKEY\\Software]
"Text"="A text with \\\\ and \\"quotes\\""
"Number"=dword:000004d2
"Wide"=hex(b):15,cd,5b,07,00,00,00,00
"Several"=hex(7):${[...hexOf("one"), ...hexOf("two"), "00", "00"].join(",")}
"Short"=hex:01,02,03
"Empty"=hex:
"Big"=hex:${BIG}
"Expandable"=hex(2):${hexOf("%SystemRoot%\\system32").join(",")}
@="without a name"

[HKEY\\Software\\Many]
${Array.from({ length: 700 }, (_, nth) => `\n[HKEY\\Software\\Many\\Key ${nth}]\n"Nth"=dword:${nth.toString(16).padStart(8, "0")}\n`).join("")}
[HKEY\\Réglage für ÄÖ]
"Wert"=hex(1):${hexOf("ü".repeat(40)).join(",")}
`,
);
const open = async () => (await Hive.open(memory(file))) as Hive;

test("values of every kind, as they were written", async () => {
  const key = (await open()).key("software") as HiveKey;
  expect(key.text("Text")).toBe('A text with \\ and "quotes"');
  expect(key.text("")).toBe("without a name");
  expect([key.number("number"), key.number("Wide"), key.number("Text")]).toEqual([1234, 123_456_789, null]);
  expect(key.texts("Several")).toEqual(["one", "two"]);
  expect(key.texts("Text")).toHaveLength(1);
  expect(key.text("Expandable")).toBe("%SystemRoot%\\system32");
  expect([...(key.value("Short")?.bytes ?? [])]).toEqual([1, 2, 3]);
  expect(key.value("Empty")?.bytes).toHaveLength(0);
  expect(key.value("missing")).toBeNull();
});

test("data larger than a cell", async () => {
  const big = (await open()).key("Software")?.value("Big")?.bytes as Uint8Array;
  expect(big).toHaveLength(40_000);
  expect(big.every((byte, nth) => byte === ((nth * 7) & 0xff))).toBe(true);
});

test("keys by their paths, also of many and with letters beyond Latin", async () => {
  const opened = await open();
  expect(opened.isDirty).toBe(false);
  const many = opened.key("Software\\Many") as HiveKey;
  expect([...many.keys()]).toHaveLength(700);
  expect(many.key("KEY 699")?.number("Nth")).toBe(699);
  expect(opened.key("RÉGLAGE FÜR äö")?.text("wert")).toBe("ü".repeat(40));
  expect(opened.key("Software\\Nothing\\There")).toBeNull();
});

test("keys and values are those that hivex lists", async () => {
  const listed = run("sh", ["-c", `hivexml ${file} | cat`]);
  const names = [...listed.matchAll(/<node name="([^"]*)"/g)].map(([, name]) => name);
  const own: string[] = [];
  let values = 0;
  const walk = (key: HiveKey) => {
    own.push(key.name);
    values += [...key.values()].length;
    for (const child of key.keys()) walk(child);
  };
  walk((await open()).root);
  expect(own.sort()).toEqual(names.sort());
  expect(values).toBe(listed.match(/<value /g)?.length);
});

test("damage ends what is read of it, and never throws or goes in a circle", async () => {
  const bytes = new Uint8Array(w.bytes(file));
  const roll = dice(8);
  let seen = 0;
  for (let round = 0; round < 200; round++) {
    const opened = await Hive.open(new MemorySource(damaged(bytes, roll)));
    if (!opened) continue;
    let left = 3_000;
    const walk = (key: HiveKey, depth: number) => {
      for (const value of key.values()) seen += value.bytes.length > 0 ? 1 : 0;
      for (const child of key.keys()) if (depth < 20 && left-- > 0) walk(child, depth + 1);
    };
    walk(opened.root, 0);
  }
  expect(seen).toBeGreaterThan(10_000);
  expect(await Hive.open(new MemorySource(new Uint8Array(9_000)))).toBeNull();
});
