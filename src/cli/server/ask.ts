import { readFile } from "node:fs/promises";
import type { z } from "zod";
import {
  computerAnswerSchema,
  computerRowSchema,
  coverStandingSchema,
  dueRowSchema,
  eventRowSchema,
  factsTakenSchema,
  listOf,
  mediumRowSchema,
  pagedOf,
  releaseRowSchema,
  routeRowSchema,
} from "@/core/words/documents/api";
import { verdictText } from "@/core/words/reasons";
import { visible } from "@/core/words/visible";
import { fileProblem, UsageError } from "../problems";
import { CreelServer, type ServerOptions } from "./client";

export interface AskOptions extends ServerOptions {
  site?: string;
  words?: string;
  page?: string;
  after?: string;
  json?: boolean;
}

const segment = encodeURIComponent;
const verdictOf = (verdict: string | null) =>
  verdict === null ? "not judged yet" : verdict === "none" ? "no medium" : verdictText(verdict as "holds");

/** Prints lines: JSON ones, or words in columns, where what is not recorded is a dash. */
function print<T>(items: readonly T[], { json }: AskOptions, columns: (item: T) => (string | number | null)[]): void {
  if (json) {
    for (const item of items) process.stdout.write(`${JSON.stringify(item)}\n`);
    return;
  }
  const rows = items.map((item) => columns(item).map((value) => (value === null ? "–" : visible(String(value), 200))));
  const widths = (rows[0] ?? []).map((_, at) => Math.max(...rows.map((row) => row[at]?.length ?? 0)));
  for (const row of rows)
    process.stdout.write(
      `${row
        .map((value, at) => value.padEnd(widths[at] ?? 0))
        .join("  ")
        .trimEnd()}\n`,
    );
}

/** Says that there is more than what was printed. */
function more({ total, page, items }: { total: number; page: number; items: unknown[] }, { json }: AskOptions): void {
  if (!json && items.length < total)
    process.stderr.write(`Page ${page}, ${items.length} of ${total}. Next: --page ${page + 1}\n`);
}

type Question = (server: CreelServer, options: AskOptions, names: string[]) => Promise<void>;

/** What a server can be asked, by the name of the command. */
export const QUESTIONS: Record<string, { names: string[]; summary: string; ask: Question }> = {
  computers: {
    ...{ names: [], summary: "computers in service, with what the best route of each comes to" },
    ask: async (server, options) => {
      const { words: q, site, page } = options;
      const answer = await server.get("/computers", { q, site, page }, pagedOf(computerRowSchema));
      print(answer.items, options, ({ tag, best, site: at, make, model, system }) => [
        ...[tag, verdictOf(best), at, [make, model].filter(Boolean).join(" ") || null, system],
      ]);
      more(answer, options);
    },
  },
  computer: {
    ...{ names: ["tag"], summary: "one computer with its facts, as creel.facts/1" },
    ask: async (server, options, [tag = ""]) => {
      const answer = await server.get(`/computers/${segment(tag)}`, {}, computerAnswerSchema);
      process.stdout.write(`${JSON.stringify(options.json ? answer : answer.facts, null, options.json ? 0 : 2)}\n`);
    },
  },
  routes: {
    ...{ names: ["tag"], summary: "every route of a computer, the best first" },
    ask: async (server, options, [tag = ""]) => {
      const { items } = await server.get(`/computers/${segment(tag)}/routes`, {}, listOf(routeRowSchema));
      print(items, options, routeColumns);
    },
  },
  pair: {
    ...{ names: ["medium", "computer"], summary: "what one medium comes to for one computer" },
    ask: async (server, options, [medium = "", computer = ""]) => {
      const path = `/media/${segment(medium)}/computers/${segment(computer)}`;
      print((await server.get(path, {}, listOf(routeRowSchema))).items, options, routeColumns);
    },
  },
  media: {
    ...{ names: [], summary: "media in use" },
    ask: async (server, options) => {
      const { words: q, site, page } = options;
      const answer = await server.get("/media", { q, site, page }, pagedOf(mediumRowSchema));
      print(answer.items, options, ({ tag, kind, site: at, lentTo, releases, computers }) => [
        ...[tag, kind, lentTo ?? at, releases.join(", ") || null],
        `holds for ${(computers?.holds ?? 0) + (computers?.["holds-after-change"] ?? 0)}`,
      ]);
      more(answer, options);
    },
  },
  releases: {
    ...{ names: [], summary: "kits and their releases" },
    ask: async (server, options) => {
      const { items } = await server.get("/releases", {}, listOf(releaseRowSchema));
      print(items, options, ({ kit, name, madeOn }) => [kit, name, madeOn]);
    },
  },
  cover: {
    ...{ names: [], summary: "how the fleet stands against its policy, and which computers lack what" },
    ask: async (server, options) => {
      const { site, page } = options;
      const answer = await server.get("/cover", { site, page }, coverStandingSchema);
      if (options.json) return void process.stdout.write(`${JSON.stringify(answer)}\n`);
      process.stdout.write(`${answer.met} of ${answer.total} computers meet their policy.\n`);
      print(answer.lacking, options, ({ tag, name, needs }) => [tag, name, needs.join(", ")]);
    },
  },
  due: {
    ...{ names: [], summary: "what is due, by what breaks without it" },
    ask: async (server, options) => {
      const { site, page } = options;
      const answer = await server.get("/due", { site, page }, pagedOf(dueRowSchema));
      print(answer.items, options, ({ title, site: at, reason, breaksOn }) => [breaksOn, at, title, reason]);
      more(answer, options);
    },
  },
  events: {
    ...{ names: [], summary: "what was changed after an event, the earliest first" },
    ask: async (server, options) => {
      const { items } = await server.get("/events", { after: options.after }, listOf(eventRowSchema));
      print(items, options, ({ id, at, person, action, entity, tag }) => [id, at, person, action, `${entity} ${tag}`]);
    },
  },
  facts: {
    ...{ names: ["tag", "file"], summary: "post facts of a computer (creel.facts/1), as the collector wrote them" },
    ask: async (server, options, [tag = "", file = ""]) => {
      const body = await readFile(file).catch((error: unknown) => {
        throw new UsageError(`${visible(file)}: ${fileProblem(error)}`);
      });
      const answer = await server.post(`/computers/${segment(tag)}/facts`, body, factsTakenSchema);
      const told = answer.changes === 0 ? "nothing was new" : "its facts were changed";
      process.stdout.write(options.json ? `${JSON.stringify(answer)}\n` : `${visible(answer.tag)}: ${told}.\n`);
    },
  },
};

const routeColumns = ({ verdict, medium, site, text, release }: z.infer<typeof routeRowSchema>) => [
  ...[verdictText(verdict), medium, site, text, release],
];

/** Asks a server; its answer is printed. */
export async function runAsk(question: string, names: string[], options: AskOptions): Promise<void> {
  await QUESTIONS[question]?.ask(await CreelServer.of(options), options, names);
}
