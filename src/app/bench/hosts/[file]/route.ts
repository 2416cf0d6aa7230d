import { openRoute, problemDetails } from "@/app/_lib/guard";
import { HOST_PROGRAMS, openHostProgram } from "@/server/bench/host-program";
import { rangedAnswer } from "@/server/host/ranged";

export const dynamic = "force-dynamic";

/** The program that makes a computer a bench host: the same for everybody, and without any token. */
export const GET = openRoute("readBenchProgram", async (request) => {
  const asked = new URL(request.url).pathname.split("/").at(-1);
  const name = HOST_PROGRAMS.find((each) => each === asked);
  const program = name ? await openHostProgram(name) : null;
  return program
    ? rangedAnswer(request.headers, program)
    : problemDetails({ code: "not-found", what: "program", name: asked?.slice(0, 60) ?? "" });
});
