import { spawnSync } from "node:child_process";
import { MemorySource } from "@/core/kernel/source";
import { packedAnswer, rangedAnswer } from "./ranged";

const CONTENT = Uint8Array.from({ length: 3_000_000 }, (_, at) => (at * 7) % 251);
const closed = { count: 0 };
const file = (source = new MemorySource(CONTENT)) => ({
  ...{ name: "RM-01 für später.img", version: "v1", source },
  close: async () => void closed.count++,
});
const asked = (headers: Record<string, string> = {}) => rangedAnswer(new Headers(headers), file());
const bytesOf = async (response: Response) => new Uint8Array(await response.arrayBuffer());

// RFC 9110, 14 (range requests) and 13.1.5 (If-Range).
describe("a file that is sent", () => {
  test("comes whole, says how long it is, and that parts of it can be asked for", async () => {
    const answer = asked();
    expect([answer.status, answer.headers.get("content-length"), answer.headers.get("accept-ranges")]).toEqual([
      ...[200, "3000000", "bytes"],
    ]);
    expect(answer.headers.get("content-disposition")).toContain("RM-01%20f%C3%BCr%20sp%C3%A4ter.img");
    expect(Buffer.compare(await bytesOf(answer), CONTENT)).toBe(0);
  });

  test.each([
    ["bytes=0-0", 0, 1],
    ["bytes=2999999-", 2_999_999, 3_000_000],
    ["bytes=-5", 2_999_995, 3_000_000],
    ["bytes=1048575-1048577", 1_048_575, 1_048_578],
    ["bytes=2000000-9999999", 2_000_000, 3_000_000],
  ])("comes in the part that is asked for: %s", async (range, from, end) => {
    const answer = asked({ range });
    expect([answer.status, answer.headers.get("content-range")]).toEqual([206, `bytes ${from}-${end - 1}/3000000`]);
    expect(answer.headers.get("content-length")).toBe(String(end - from));
    expect(Buffer.compare(await bytesOf(answer), CONTENT.subarray(from, end))).toBe(0);
  });

  test("a part behind its end is refused with its length; what is no range, or several, gets the whole", async () => {
    const behind = asked({ range: "bytes=3000000-" });
    expect([behind.status, behind.headers.get("content-range")]).toEqual([416, "bytes */3000000"]);
    for (const range of ["lines=1-2", "bytes=0-1,5-6", "bytes", "bytes=b-a"])
      expect([range, [200, 416].includes(asked({ range }).status)]).toEqual([range, true]);
    expect(asked({ range: "bytes=0-1,5-6" }).status).toBe(200);
  });

  test("goes on where it stood only while it would have the same bytes", () => {
    expect(asked({ range: "bytes=10-", "if-range": '"v1"' }).status).toBe(206);
    expect(asked({ range: "bytes=10-", "if-range": '"v0"' }).status).toBe(200);
  });

  test("is closed once it is sent, refused, or nobody reads on; what ends early breaks off", async () => {
    closed.count = 0;
    await bytesOf(asked());
    asked({ range: "bytes=3000000-" });
    const reader = asked().body?.getReader();
    await reader?.read();
    await reader?.cancel();
    // Of which nothing was ever read, as where only its head is asked for.
    await asked().body?.cancel();
    await new Promise((resolve) => setTimeout(resolve, 20));
    expect(closed.count).toBe(4);
    const short = new MemorySource(CONTENT.subarray(0, 1000));
    const lying = { sizeBytes: 2000, read: (at: number, length: number) => short.read(at, length) };
    await expect(bytesOf(rangedAnswer(new Headers(), { ...file(), source: lying }))).rejects.toThrow();
  });

  test("is packed as zstd reads it (RFC 8878)", async () => {
    closed.count = 0;
    const answer = await packedAnswer(file());
    expect(answer?.headers.get("content-disposition")).toContain(".img.zst");
    const packed = await bytesOf(answer as Response);
    expect(packed.length).toBeLessThan(CONTENT.length / 10);
    const unpacked = spawnSync("zstd", ["-dc"], { input: packed, maxBuffer: 1 << 25 });
    expect(Buffer.compare(unpacked.stdout, CONTENT)).toBe(0);
    expect(closed.count).toBe(1);
  });
});
