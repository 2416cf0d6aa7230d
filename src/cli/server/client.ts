import { randomUUID } from "node:crypto";
import { readFile } from "node:fs/promises";
import { setTimeout as sleep } from "node:timers/promises";
import type { z } from "zod";
import { problemDetailsSchema } from "@/core/words/documents/api";
import { visible } from "@/core/words/visible";
import { fileProblem, UsageError } from "../problems";

/** Which Creel is asked, and with what. */
export interface ServerOptions {
  server?: string;
  token?: string;
  tokenFile?: string;
}

/** Tries where the server is not reached, or has no time; pauses between them grow. */
const ATTEMPTS = 4;
const PAUSE_MS = 500;
/** So long one answer is waited for. */
const LONGEST_MS = 60_000;
const AGAIN: readonly number[] = [429, 502, 503, 504];

/** The server was not reached, or had no time: it may be, later. */
export class ServerUnreached extends UsageError {}

interface Patience {
  attempts?: number;
  withinMs?: number;
}

/** A Creel that runs somewhere, by its HTTP interface. */
export class CreelServer {
  private constructor(
    readonly origin: string,
    private readonly token: string,
  ) {}

  /** By `--server` and `--token`, a file with the token, or the variables CREEL_SERVER and CREEL_TOKEN. */
  static async of({ server, token, tokenFile }: ServerOptions): Promise<CreelServer> {
    const told = server ?? process.env.CREEL_SERVER;
    if (!told) throw new UsageError("which server? Give --server URL, or set CREEL_SERVER.");
    const url = URL.canParse(told) ? new URL(told) : null;
    if (!url || !/^https?:$/.test(url.protocol))
      throw new UsageError(`${visible(told)} is no address of a server, such as https://creel.example.`);
    const secret = (tokenFile === undefined ? (token ?? process.env.CREEL_TOKEN) : await firstLine(tokenFile))?.trim();
    if (!secret)
      throw new UsageError(
        "which token? Give --token or --token-file, or set CREEL_TOKEN. An administrator makes tokens.",
      );
    if (!/^[\w-]+$/.test(secret)) throw new UsageError("the token has letters that no token has. Copy it again.");
    return new CreelServer(url.origin, secret);
  }

  /** Asks for a document. `query`: what is undefined is not said. */
  get<S extends z.ZodType>(path: string, query: Record<string, string | undefined>, schema: S): Promise<z.output<S>> {
    const said = Object.entries(query).flatMap(([name, value]): [string, string][] =>
      value === undefined ? [] : [[name, value]],
    );
    return this.ask(`${path}${said.length > 0 ? `?${new URLSearchParams(said)}` : ""}`, {}, schema);
  }

  /** Posts a document; it is taken in once, also where it has to be sent again. */
  post<S extends z.ZodType>(path: string, body: Uint8Array, schema: S): Promise<z.output<S>> {
    const headers = { "content-type": "application/json", "idempotency-key": randomUUID() };
    return this.ask(path, { method: "POST", headers, body: Buffer.from(body) }, schema);
  }

  /** Says something that may be said twice. */
  say<S extends z.ZodType>(path: string, said: unknown, schema: S, patience: Patience = {}): Promise<z.output<S>> {
    const headers = { "content-type": "application/json" };
    return this.ask(path, { method: "POST", headers, body: JSON.stringify(said) }, schema, patience);
  }

  /** The bytes of a file from one on; whole where the server says so. Throws `ServerUnreached`, as does reading it. */
  async bytesFrom(path: string, from: number): Promise<{ isWhole: boolean; body: AsyncIterable<Uint8Array> }> {
    const response = await this.fetched(path, { headers: from > 0 ? { range: `bytes=${from}-` } : {} }, LONGEST_MS);
    if (response.status !== 200 && response.status !== 206)
      throw new UsageError(`${this.origin} answered with status ${response.status}.`);
    const { origin } = this;
    const body = (async function* () {
      try {
        for await (const chunk of response.body as unknown as AsyncIterable<Uint8Array>) yield chunk;
      } catch {
        throw new ServerUnreached(`${origin} broke off in the middle of a file.`);
      }
    })();
    return { isWhole: response.status === 200, body };
  }

  private async fetched(path: string, request: RequestInit, withinMs: number): Promise<Response> {
    // The first answer has to come in time; a large file takes as long as it takes.
    const late = new AbortController();
    const timer = setTimeout(() => late.abort(), withinMs);
    try {
      return await fetch(`${this.origin}/api/v1${path}`, {
        ...request,
        headers: { ...request.headers, authorization: `Bearer ${this.token}` },
        // A token goes to nobody else.
        redirect: "error",
        signal: late.signal,
      });
    } catch {
      throw new ServerUnreached(`${this.origin} was not reached. Check the address and the network.`);
    } finally {
      clearTimeout(timer);
    }
  }

  private async ask<S extends z.ZodType>(
    path: string,
    request: RequestInit,
    schema: S,
    patience: Patience = {},
  ): Promise<z.output<S>> {
    const { status, text } = await this.answer(path, request, patience);
    const parsed = jsonOf(text);
    if (AGAIN.includes(status)) throw new ServerUnreached(`${this.origin} has no time: status ${status}.`);
    if (status !== 200) {
      const told = problemDetailsSchema.safeParse(parsed);
      throw new UsageError(
        told.success ? visible(told.data.detail, 500) : `${this.origin} answered with status ${status}.`,
      );
    }
    const read = schema.safeParse(parsed);
    if (!read.success) throw new UsageError(`${this.origin} answered in a form that this Creel does not know.`);
    return read.data;
  }

  private async answer(
    path: string,
    request: RequestInit,
    { attempts = ATTEMPTS, withinMs = LONGEST_MS }: Patience,
  ): Promise<{ status: number; text: string }> {
    for (let attempt = 1; ; attempt++) {
      try {
        const response = await this.fetched(path, request, withinMs);
        const answer = { status: response.status, text: await textWithin(response, withinMs) };
        if (!AGAIN.includes(answer.status) || attempt >= attempts) return answer;
      } catch (error) {
        if (attempt >= attempts) throw error;
      }
      await sleep(PAUSE_MS * 2 ** (attempt - 1));
    }
  }
}

async function textWithin(response: Response, withinMs: number): Promise<string> {
  const late = sleep(withinMs, null, { ref: false }).then(() => {
    throw new ServerUnreached("The server broke off in the middle of an answer.");
  });
  late.catch(() => {});
  return Promise.race([response.text(), late]).catch(() => {
    throw new ServerUnreached("The server broke off in the middle of an answer.");
  });
}

async function firstLine(path: string): Promise<string | undefined> {
  try {
    return (await readFile(path, "utf8")).split("\n")[0];
  } catch (error) {
    throw new UsageError(`${visible(path)}: ${fileProblem(error)}`);
  }
}

function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}
