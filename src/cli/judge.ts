import { readFile } from "node:fs/promises";
import { HAPPENINGS, type Happening } from "@/core/callout/happenings";
import { LINK_NAMES } from "@/core/judging/model/schema";
import { OUTCOMES, type OutcomeKind } from "@/core/judging/routes/outcome";
import {
  imagePlanDocument,
  policyDocument,
  type RouteDocument,
  routeDocument,
} from "@/core/words/documents/world-answers";
import { changeText, linkTitle, verdictText } from "@/core/words/reasons";
import { visible } from "@/core/words/visible";
import { imagePlans, judgedRoutes, policyAnswers } from "@/core/world/answers";
import { type ReadWorld, readWorld, worldOf } from "@/core/world/read";
import { fileProblem, UsageError } from "./problems";

interface JudgeOptions {
  computer?: string;
  medium?: string;
  outcome?: string;
  image?: string;
  happening?: string;
  since?: string;
  policy?: boolean;
  imagePlan?: boolean;
  json?: boolean;
}

/** Answers from a world document alone: routes, offers, policy, or what the next images hold; a line each. */
export async function runJudge(path: string, options: JudgeOptions): Promise<number> {
  const read = await worldFrom(path);
  const { computer, medium } = options;
  if (computer && !read.world.computers.some(({ tag }) => tag === computer))
    throw new UsageError(`${visible(path)}: there is no computer "${visible(computer)}"`);
  if (medium && !read.world.media.some(({ part }) => part.tag === medium))
    throw new UsageError(`${visible(path)}: there is no medium "${visible(medium)}"`);
  if (options.policy && options.imagePlan) throw new UsageError("either --policy or --image-plan: not both at once");
  if (options.policy) {
    for (const answer of policyAnswers(read, computer).map(policyDocument))
      print(
        options,
        answer,
        `${answer.computer}: ${answer.met ? "meets policy" : answer.lacks.map(({ text }) => text).join(" ")}`,
      );
    return 0;
  }
  if (options.imagePlan) {
    for (const plan of imagePlans(read, computer).map(imagePlanDocument))
      print(
        options,
        plan,
        `${plan.computer}: ${plan.disk === null ? "disk not recorded" : `${plan.disk}, partitions ${plan.take.join(", ")}`}`,
      );
    return 0;
  }
  const question = {
    ...{ computer, medium, image: options.image, since: options.since },
    outcome: oneOf<OutcomeKind>("--outcome", OUTCOMES, options.outcome),
    happening: oneOf<Happening>("--happening", HAPPENINGS, options.happening),
  };
  for (const route of judgedRoutes(read, question).map(routeDocument)) print(options, route, describe(route));
  return 0;
}

async function worldFrom(path: string): Promise<ReadWorld> {
  let text: string;
  try {
    text = await readFile(path, "utf8");
  } catch (error) {
    throw new UsageError(`${visible(path)}: ${fileProblem(error)}`);
  }
  let value: unknown;
  try {
    value = JSON.parse(text.replace(/^\uFEFF/, ""));
  } catch {
    throw new UsageError(`${visible(path)}: not JSON`);
  }
  const reading = readWorld(value);
  if (!reading.ok)
    throw new UsageError(`${visible(path)}: ${visible([reading.at, reading.told].filter(Boolean).join(": "))}`);
  return worldOf(reading.document);
}

function oneOf<T extends string>(option: string, values: readonly T[], told: string | undefined): T | undefined {
  if (told === undefined) return undefined;
  const found = values.find((value) => value === told);
  if (!found) throw new UsageError(`${option} ${visible(told)}: it is one of ${values.join(", ")}`);
  return found;
}

const LINE_MAX = 2000;

function print({ json }: JudgeOptions, document: unknown, text: string): void {
  process.stdout.write(`${json ? JSON.stringify(document) : visible(text, LINE_MAX)}\n`);
}

function describe({ computer, medium, release, outcome, image, links, changes }: RouteDocument): string {
  const chain = LINK_NAMES.map((name) => `${linkTitle(name)} ${verdictText(links[name].verdict)}`).join(", ");
  const made = changes
    .filter(({ phase }) => phase !== "stays")
    .map(({ phase, ...change }) => `${phase}: ${changeText(change as never)}`);
  const what = [computer, medium, release, outcome, image].filter(Boolean).join(" / ");
  return [`${what}: ${chain}`, ...made].join("; ");
}
