import { type DeviceHistory, trustOf } from "./trust";

const NOW = "2026-11-25T12:00:00Z";
const history = (more: Partial<DeviceHistory> = {}): DeviceHistory => ({
  bytes: 16e9,
  timesWritten: 3,
  bytesWritten: 3e9,
  since: "2026-01-10T00:00:00Z",
  test: null,
  sameModel: { known: 0, failed: 0 },
  sameBatch: null,
  testedOn: null,
  failedUse: null,
  ...more,
});

test.each<[Partial<DeviceHistory>, string, string[]]>([
  [{}, "untested", []],
  [{ test: { state: "sound", writeRate: 1, readRate: 1 } }, "sound", []],
  [{ test: { state: "counterfeit", trueBytes: 4e9, how: "wraps" } }, "distrust", ["counterfeit"]],
  [{ test: { state: "failing", bad: [{ start: 0, end: 512 }] } }, "distrust", ["failing"]],
  [{ bytesWritten: 100 * 16e9 }, "retire", ["worn"]],
  [{ bytesWritten: 100 * 16e9 - 1 }, "untested", []],
  [{ since: "2020-11-20T00:00:00Z" }, "retire", ["old"]],
  [{ sameModel: { known: 3, failed: 1 } }, "untested", ["model-failed"]],
  [{ sameBatch: { name: "2026-03", known: 5, failed: 2 } }, "untested", ["batch-failed"]],
  [
    { sameBatch: { name: "2026-03", known: 5, failed: 0 }, sameModel: { known: 9, failed: 1 } },
    "untested",
    ["model-failed"],
  ],
  [
    { sameModel: { known: 3, failed: 1 }, bytesWritten: 1e13, test: { state: "sound", writeRate: 1, readRate: 1 } },
    "retire",
    ["worn", "model-failed"],
  ],
  [{ failedUse: { on: "2026-05-02", computer: "A" } }, "untested", ["failed-in-use"]],
  [
    {
      ...{ test: { state: "sound", writeRate: 1, readRate: 1 }, testedOn: "2026-05-01" },
      failedUse: { on: "2026-05-02", computer: "A" },
    },
    "untested",
    ["failed-in-use"],
  ],
  [
    {
      ...{ test: { state: "sound", writeRate: 1, readRate: 1 }, testedOn: "2026-05-02" },
      failedUse: { on: "2026-05-02", computer: "A" },
    },
    "sound",
    [],
  ],
])("a device with %j is %s", (more, verdict, codes) => {
  const trust = trustOf(history(more), NOW);
  expect([trust.verdict, trust.reasons.map(({ code }) => code)]).toEqual([verdict, codes]);
});
