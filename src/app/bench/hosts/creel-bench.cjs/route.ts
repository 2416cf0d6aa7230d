import { readFile } from "node:fs/promises";
import { openRoute } from "@/app/_lib/guard";
import { benchProgramPath } from "@/server/bench/host-program";

export const dynamic = "force-dynamic";

/** The program that makes a computer a bench host: the same for everybody, and without any token. */
export const GET = openRoute("readBenchProgram", async () => {
  const program = await readFile(benchProgramPath()).catch(() => null);
  if (!program) return new Response("The program was not built.", { status: 404 });
  return new Response(program, {
    headers: {
      "content-type": "text/javascript; charset=utf-8",
      "content-disposition": 'attachment; filename="creel-bench.cjs"',
    },
  });
});
