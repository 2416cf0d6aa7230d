import { revalidatePath } from "next/cache";
import { headers } from "next/headers";
import { RateLimiterMemory } from "rate-limiter-flexible";
import { z } from "zod";
import { problemText } from "@/core/words/problems";
import { recordAudit } from "@/server/accounts/audit";
import { isEnough, type Role } from "@/server/accounts/roles";
import { type Bearer, bearerOf, type TokenKind } from "@/server/accounts/tokens";
import type { Context } from "@/server/context";
import { database } from "@/server/db/client";
import { clientAddress, doorRefusal } from "@/server/host/addresses";
import { metrics } from "@/server/host/metrics";
import { type Problem, type Result, refused } from "@/server/problems";
import { type RequestContext, requestContext } from "./context";

/** What guards an action or a route: who may call it. "anybody": it is for those who did not sign in, too. */
export interface Guard {
  name: string;
  /** `token`: a machine's, of one kind. */
  role: Role | "anybody" | "token";
}

const guards = new WeakMap<object, Guard>();

/** The guard that something was made with; null: nobody stands before it. */
export function guardOf(guarded: unknown): Guard | null {
  return typeof guarded === "function" ? (guards.get(guarded) ?? null) : null;
}

/** Of what a page sends: so many values, so deep in one another. Next counts the bytes. */
const VALUES_MOST = 500_000;
const DEPTH_MOST = 40;

function isModest(value: unknown): boolean {
  const open: { value: unknown; depth: number }[] = [{ value, depth: 0 }];
  for (let seen = 0; open.length > 0; seen++) {
    const next = open.pop();
    if (!next || seen > VALUES_MOST || next.depth > DEPTH_MOST) return false;
    if (typeof next.value === "object" && next.value !== null)
      for (const inner of Object.values(next.value)) open.push({ value: inner, depth: next.depth + 1 });
  }
  return true;
}

/** What the service that gets it holds against a schema of its own. */
export const input = z.unknown().refine(isModest);
/** The id of a row, and the version that was seen of it (MariaDB's signed INT). */
export const id = z.number().int().min(0).max(2_147_483_647);
/** The same limits as an id has. */
export const version = z.number().int().min(0).max(2_147_483_647);
export const flag = z.boolean();
/** A tag, a name, a word: nothing that is told at length. */
export const word = z.string().max(400);

/** An id out of an address; 0, which no row has, for what is none. */
export const rowId = (text: string): number => id.catch(0).parse(Number(text));

type Schemas = readonly z.ZodType[];
type Inputs<S extends Schemas> = { -readonly [K in keyof S]: z.input<S[K]> };
type Outputs<S extends Schemas> = { -readonly [K in keyof S]: z.output<S[K]> };

/** Whoever sent this request, if they may do what asks for a role. */
async function admitted(method: string, from: Pick<Headers, "get">, role: Role): Promise<Result<RequestContext>> {
  if (doorRefusal(method, from) !== null) return refused({ code: "not-from-here" });
  const context = await requestContext();
  if (!context) return refused({ code: "signed-out" });
  if (!isEnough(context.account.role, role)) return refused({ code: "role-needed", role });
  return { ok: true, value: context };
}

const outcomeOf = (result: Result<unknown>) =>
  result.ok ? "done" : result.problem.code === "refused" ? result.problem.why.code : result.problem.code;

/**
 * What is written down of those who did not sign in, from each address within a minute: who floods a server fills its audit
 * no further. The metrics count all of it.
 */
const STRANGERS = new RateLimiterMemory({ points: 120, duration: 60 });

async function isFlood(from: Pick<Headers, "get">): Promise<boolean> {
  return STRANGERS.consume(clientAddress(from) ?? "nowhere").then(
    () => false,
    () => true,
  );
}

async function audit(name: string, from: Pick<Headers, "get">, outcome: string): Promise<void> {
  const context = await requestContext();
  const at = { db: database(), now: () => new Date() };
  metrics().asked.inc({ act: name, outcome });
  if (!context && (await isFlood(from))) return;
  await recordAudit(at, context?.person ?? null, { act: name, outcome, origin: clientAddress(from) });
}

/** What was begun and broke off is written down, too, before whoever asked hears that it failed. */
async function toldBy<T>(write: (outcome: string) => Promise<void>, run: () => Promise<T>): Promise<T> {
  try {
    return await run();
  } catch (error) {
    await write("failed").catch(() => {});
    throw error;
  }
}

const told = <T>(name: string, from: Pick<Headers, "get">, run: () => Promise<T>): Promise<T> =>
  toldBy((outcome) => audit(name, from, outcome), run);

/**
 * A server action that only who has a role may call. `schemas`: of its arguments, one each; what does not fit them comes
 * from no page of Creel's. Every call that may change something is written down, refused ones too. `isQuestion`: it changes
 * nothing; `refresh: false`: no page tells anything else after it.
 */
export function action<const S extends Schemas, T>(
  name: string,
  role: Role,
  schemas: S,
  run: (context: RequestContext, ...args: Outputs<S>) => Promise<Result<T>>,
  { refresh = true, isQuestion = false }: { refresh?: boolean; isQuestion?: boolean } = {},
): (...args: Inputs<S>) => Promise<Result<T>> {
  const tuple = z.tuple(schemas as unknown as [z.ZodType]);
  const guarded = async (...args: Inputs<S>): Promise<Result<T>> => {
    const from = await headers();
    const letIn = await admitted("POST", from, role);
    const parsed = tuple.safeParse(args);
    const done = async (context: RequestContext) =>
      parsed.success ? run(context, ...(parsed.data as unknown as Outputs<S>)) : refused<T>({ code: "malformed" });
    const result: Result<T> = !letIn.ok ? letIn : await told(name, from, () => done(letIn.value));
    if (!isQuestion || !letIn.ok) await audit(name, from, outcomeOf(result));
    if (result.ok && refresh && !isQuestion) revalidatePath("/", "layout");
    return result;
  };
  guards.set(guarded, { name, role });
  return guarded;
}

/** An action for those who did not sign in: what it does is guarded by a secret that comes with it. */
export function openAction<const S extends Schemas, T>(
  name: string,
  schemas: S,
  run: (...args: Outputs<S>) => Promise<Result<T>>,
): (...args: Inputs<S>) => Promise<Result<T>> {
  const tuple = z.tuple(schemas as unknown as [z.ZodType]);
  const guarded = async (...args: Inputs<S>): Promise<Result<T>> => {
    const from = await headers();
    const parsed = tuple.safeParse(args);
    const result: Result<T> =
      doorRefusal("POST", from) !== null
        ? refused({ code: "not-from-here" })
        : parsed.success
          ? await told(name, from, () => run(...(parsed.data as unknown as Outputs<S>)))
          : refused({ code: "malformed" });
    await audit(name, from, outcomeOf(result));
    return result;
  };
  guards.set(guarded, { name, role: "anybody" });
  return guarded;
}

/** An action that only asks: it writes nothing, and is not written down. */
export function question<const S extends Schemas, T>(
  name: string,
  role: Role,
  schemas: S,
  run: (context: RequestContext, ...args: Outputs<S>) => Promise<Result<T>>,
): (...args: Inputs<S>) => Promise<Result<T>> {
  return action(name, role, schemas, run, { isQuestion: true });
}

/** What a route is asked. `P`: the parameters of its path. */
export interface Asked<P> {
  request: Request;
  context: RequestContext;
  params: P;
}

/** HTTP's word for a problem (RFC 9110, 15.5). */
function statusOf(problem: Problem): number {
  switch (problem.code) {
    case "not-found":
      return 404;
    case "taken":
    case "stale":
      return 409;
    case "invalid":
      return 400;
    case "refused":
      return STATUS[problem.why.code] ?? 400;
  }
}

const STATUS: Partial<Record<Extract<Problem, { code: "refused" }>["why"]["code"], number>> = {
  "signed-out": 401,
  "token-refused": 401,
  "too-many-requests": 429,
  "key-used-otherwise": 409,
  "role-needed": 403,
  "other-site": 403,
  "not-from-here": 403,
  "body-too-large": 413,
};

/** A problem as an answer, in a sentence. */
export function problemResponse(problem: Problem): Response {
  return Response.json(
    { problem: problemText(problem) },
    { status: statusOf(problem), headers: { "cache-control": "no-store" } },
  );
}

/** A problem for machines (RFC 9457): its code as a type, and a sentence. */
export function problemDetails(problem: Problem): Response {
  const code = problem.code === "refused" ? problem.why.code : problem.code;
  const [status, detail] = [statusOf(problem), problemText(problem)];
  const fields = problem.code === "invalid" ? { fields: problem.fields } : {};
  const body = { type: `urn:creel:problem:${code}`, title: code.replaceAll("-", " "), status, detail, ...fields };
  return new Response(JSON.stringify(body), { status, headers: { "content-type": "application/problem+json" } });
}

/** Where only the head is asked for (RFC 9110, 9.3.2), a body that nobody will read is let go of at once. */
function headOf({ method }: Request, response: Response): Response {
  if (method !== "HEAD" || response.body === null) return response;
  void response.body.cancel();
  return new Response(null, response);
}

/** What every answer says that is somebody's: it is kept nowhere, and is what it says it is. */
function sealed(response: Response): Response {
  if (!response.headers.has("cache-control")) response.headers.set("cache-control", "private, no-store");
  response.headers.set("x-content-type-options", "nosniff");
  response.headers.set("cross-origin-resource-policy", "same-origin");
  return response;
}

/**
 * A route that only who has a role may call. What changes something is written down, unless `isWritten` says otherwise,
 * and what is taken out of Creel where it says so; refused calls always are.
 */
export function route<P = Record<never, string>>(
  name: string,
  role: Role,
  answer: (asked: Asked<P>) => Promise<Response> | Response,
  { isWritten }: { isWritten?: boolean } = {},
): (request: Request, props: { params: Promise<P> }) => Promise<Response> {
  const guarded = async (request: Request, { params }: { params: Promise<P> }): Promise<Response> => {
    const letIn = await admitted(request.method, request.headers, role);
    if (!letIn.ok) {
      await audit(name, request.headers, outcomeOf(letIn));
      return sealed(problemResponse(letIn.problem));
    }
    const asked = { request, context: letIn.value, params: await params };
    const response = await told(name, request.headers, async () => answer(asked));
    if (isWritten ?? request.method !== "GET")
      await audit(name, request.headers, response.ok ? "done" : `status-${response.status}`);
    return sealed(headOf(request, response));
  };
  guards.set(guarded, { name, role });
  return guarded;
}

/** What a route for machines is asked. */
export interface AskedByMachine<P> {
  request: Request;
  /** What it does is done by whoever made its token. */
  context: Context;
  bearer: Bearer;
  params: P;
}

/**
 * A route for machines, which come with a token of one kind: as `Authorization: Bearer …` (RFC 6750, 2.1), or where
 * `secretOf` finds it for programs that can send nothing but an address. `isChatty`: it is asked every few seconds, and only
 * what was refused is written down. A page of somebody else's cannot make a browser
 * send one, so that such requests need not come from a page of Creel's.
 */
export function tokenRoute<P = Record<never, string>>(
  name: string,
  kind: TokenKind,
  answer: (asked: AskedByMachine<P>) => Promise<Response> | Response,
  secretOf: (params: P) => string | null = () => null,
  { isChatty = false }: { isChatty?: boolean } = {},
): (request: Request, props: { params: Promise<P> }) => Promise<Response> {
  const guarded = async (request: Request, props: { params: Promise<P> }): Promise<Response> => {
    const params = await props.params;
    const from = request.headers;
    if (doorRefusal("GET", from) !== null)
      return sealed(problemDetails({ code: "refused", why: { code: "not-from-here" } }));
    const secret = secretOf(params) ?? /^Bearer (\S+)$/i.exec(from.get("authorization") ?? "")?.[1] ?? "";
    const [db, now] = [database(), () => new Date()];
    const bearer = await bearerOf(db, { secret, kind, origin: clientAddress(from), now: now() });
    if (!bearer) {
      if (!(await isFlood(from)))
        await recordAudit({ db, now }, null, { act: name, outcome: "token-refused", origin: clientAddress(from) });
      return sealed(problemDetails({ code: "refused", why: { code: "token-refused" } }));
    }
    const write = (outcome: string) => {
      const asked = { act: name, outcome, origin: clientAddress(from), detail: { token: bearer.name } };
      return recordAudit({ db, now }, bearer.madeBy, asked);
    };
    const run = async () => answer({ request, context: { db, now, person: bearer.madeBy }, bearer, params });
    const response = await toldBy(write, run);
    if (request.method !== "GET" && !(isChatty && response.ok))
      await write(response.ok ? "done" : `status-${response.status}`);
    return sealed(headOf(request, response));
  };
  guards.set(guarded, { name, role: "token" });
  return guarded;
}

/** A route for those who did not sign in, too: it says nothing of the inventory. */
export function openRoute(
  name: string,
  answer: (request: Request) => Promise<Response>,
): (request: Request) => Promise<Response> {
  const guarded = async (request: Request) => sealed(headOf(request, await answer(request)));
  guards.set(guarded, { name, role: "anybody" });
  return guarded;
}

/** The body of a request, counted while it comes, whatever length it said it has. Bytes. */
export async function bodyOf(request: Request, most: number): Promise<Result<Uint8Array>> {
  const chunks: Uint8Array[] = [];
  let bytes = 0;
  const tooLarge = () => refused<Uint8Array>({ code: "body-too-large", most });
  if (Number(request.headers.get("content-length") ?? 0) > most) return tooLarge();
  if (request.body)
    for await (const chunk of request.body as unknown as AsyncIterable<Uint8Array>) {
      bytes += chunk.length;
      // Leaving the loop cancels the stream: the rest is not waited for.
      if (bytes > most) return tooLarge();
      chunks.push(chunk);
    }
  return { ok: true, value: Buffer.concat(chunks) };
}

/** A body that is JSON, against a schema. */
export async function jsonOf<S extends z.ZodType>(
  request: Request,
  most: number,
  schema: S,
): Promise<Result<z.output<S>>> {
  const body = await bodyOf(request, most);
  if (!body.ok) return body;
  try {
    const parsed = schema.safeParse(JSON.parse(Buffer.from(body.value).toString("utf8")));
    return parsed.success ? { ok: true, value: parsed.data } : refused({ code: "malformed" });
  } catch {
    return refused({ code: "malformed" });
  }
}

/** A file that is written while it is sent. */
export function streamed(parts: AsyncGenerator<string>, type: string, fileName: string): Response {
  const encoder = new TextEncoder();
  const body = new ReadableStream<Uint8Array>({
    async pull(controller) {
      const { value, done } = await parts.next();
      if (done) controller.close();
      else controller.enqueue(encoder.encode(value));
    },
    async cancel() {
      await parts.return(undefined);
    },
  });
  return new Response(body, {
    headers: { "content-type": type, "content-disposition": `attachment; filename="${fileName}"` },
  });
}
