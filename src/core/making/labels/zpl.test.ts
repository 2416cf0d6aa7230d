import type { Label } from "./label";
import { labelsZpl, ROLL_DPI, ROLL_LABELS, type RollLabel } from "./zpl";

// Reference: "ZPL II Programming Guide", the commands by their names and ranges.
const label = (more: Partial<Label> = {}): Label => ({
  ...{ tag: "RM-05", name: "Rescue disc", carries: ["Bollard 5.0"], writtenOn: "2026-11-02" },
  ...{ serves: ["HO-001", "HO-002", "HO-003", "HO-004"], ...more },
});
const [first] = ROLL_LABELS as readonly [RollLabel, ...RollLabel[]];
/** What a printer reads: fields with their place and their data, hex undone. */
function fields(zpl: string): { x: number; y: number; command: string; data: string }[] {
  return [...zpl.matchAll(/\^FO(\d+),(\d+)(\^[^\n]*?)\^FH\^FD([^\n^~]*)\^FS/g)].map(
    ([, x, y, command = "", data = ""]) => {
      const bytes = data.replace(/_([0-9A-F]{2})/g, (_all, hex: string) =>
        String.fromCharCode(Number.parseInt(hex, 16)),
      );
      return { x: Number(x), y: Number(y), command, data: Buffer.from(bytes, "latin1").toString("utf8") };
    },
  );
}

test("a label has its tag, what it is, and a code of the tag", () => {
  const zpl = labelsZpl([label()], first, 203);
  expect(zpl.startsWith("^XA\n^CI28\n^PW456\n^LL256\n")).toBe(true);
  expect(zpl.endsWith("^XZ\n")).toBe(true);
  expect(fields(zpl).map(({ data }) => data)).toEqual([
    ...["RM-05", "Rescue disc", "Bollard 5.0", "written 2026-11-02", expect.stringContaining("for HO-001, HO-002")],
    "MA,RM-05",
  ]);
});

test.each(ROLL_LABELS.flatMap((roll) => ROLL_DPI.map((dpi) => [roll.text, dpi, roll] as const)))(
  "%s at %d dots an inch: everything is on the label, line below line",
  (_text, dpi, roll) => {
    const told = fields(
      labelsZpl([label({ name: "A name that is very long indeed, longer than any label is wide" })], roll, dpi),
    );
    const [width, height] = [roll.width, roll.height].map((mm) => Math.round((mm * dpi) / 25.4)) as [number, number];
    expect(told).toHaveLength(6);
    for (const { x, y } of told) expect([x < width, y < height]).toEqual([true, true]);
    const texts = told.slice(0, -1).map(({ y }) => y);
    expect(texts).toEqual([...texts].sort((a, b) => a - b));
    const size = Number(/\^BQN,2,(\d+)/.exec(told.at(-1)?.command ?? "")?.[1]);
    expect(size >= 1 && size <= 10).toBe(true);
  },
);

test("what is a command in a name is a letter on the label", () => {
  const name = "Båt ^XZ ~JR _41 \\ \n kai";
  const wide = ROLL_LABELS.find(({ width }) => width === 100) as RollLabel;
  const zpl = labelsZpl([label({ name }), label({ tag: "B-2" })], wide, 300);
  expect(fields(zpl).map(({ data }) => data)).toContain(name);
  expect(zpl.match(/\^XA/g)).toHaveLength(2);
  expect(zpl.match(/\^XZ/g)).toHaveLength(2);
  expect(zpl).not.toContain("~JR");
});
