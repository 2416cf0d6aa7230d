import { createHash } from "node:crypto";
import { z } from "zod";
import { problemText } from "@/core/words/problems";
import { openMediumFile } from "@/server/bench/medium-file";
import { packedAnswer, rangedAnswer, type SentFile, streamOf } from "@/server/host/ranged";
import { route } from "../../../_lib/guard";
import { one } from "../../../_lib/params";
import { makingOf, mediumWish } from "../wish";

/** For so long an address gives the same file, as far as the inventory does. */
const SAME_DAYS = 7;
const FORMS = ["raw", "zst", "sha256"] as const;

/**
 * A medium as a file, to be burnt or written elsewhere; the address says which, as that of its plan does. `made`: as of
 * when, so that it can be continued. `form`: as it is; packed; or the digest that it has, as `sha256sum` reads it.
 */
export const GET = route(
  "readMediumFile",
  "technician",
  async ({ request, context }) => {
    const query = new URL(request.url).searchParams;
    const values = Object.fromEntries([...new Set(query.keys())].map((key) => [key, query.getAll(key)]));
    const making = makingOf(values);
    const wish = mediumWish(making);
    if (!wish) return new Response("Choose a release and a tag first.", { status: 400 });
    const made = madeOf(one(values.made), context.now());
    if (!made) return new Response("This address is too old. Open the plan again.", { status: 400 });
    const bytes = making.onto && "file" in making.onto ? making.onto.file : null;
    const opened = await openMediumFile({ ...context, now: () => made }, wish, bytes);
    if (!opened.ok) return new Response(problemText(opened.problem), { status: 400 });
    switch (z.enum(FORMS).catch("raw").parse(one(values.form))) {
      case "raw":
        return rangedAnswer(request.headers, opened.value);
      case "sha256":
        return new Response(`${await digestOf(opened.value)}  ${opened.value.name}\n`);
      case "zst":
        return (
          (await packedAnswer(opened.value)) ??
          new Response("The server has no program that packs: install the Debian package zstd.", { status: 503 })
        );
    }
  },
  { isWritten: true },
);

/** As of when the file is made; null where that is to come, or too long ago. */
function madeOf(told: string | undefined, now: Date): Date | null {
  if (told === undefined) return now;
  const parsed = z.iso.datetime().safeParse(told);
  const made = new Date(parsed.success ? parsed.data : Number.NaN);
  const age = now.getTime() - made.getTime();
  return age >= 0 && age <= SAME_DAYS * 86_400_000 ? made : null;
}

async function digestOf(file: SentFile): Promise<string> {
  const hash = createHash("sha256");
  for await (const block of streamOf(file, 0, file.source.sizeBytes)) hash.update(block as Buffer);
  return hash.digest("hex");
}
