import { createServer, type IncomingMessage, type ServerResponse } from "node:http";
import type { AddressInfo } from "node:net";
import { Readable } from "node:stream";
import type { ReadableStream } from "node:stream/web";
import { answered } from "@/app/_lib/api";
import { problemDetails, rowId } from "@/app/_lib/guard";
import { type Bearer, bearerOf, makeToken } from "@/server/accounts/tokens";
import { openContent } from "@/server/bench/hosts";
import { rangedAnswer } from "@/server/host/ranged";
import { type TestInventory, value } from "./database";

export interface BenchServer {
  url: string;
  /** While true, whoever asks is cut off. */
  isCut: boolean;
  /** Cuts whoever asks for one of these paths off in the middle of the answer, so many bytes in. */
  cutsAt: { path: RegExp; bytes: number } | null;
  /** Another answer than the true one, of a server that is not to be trusted. */
  lies: ((path: string, body: string) => string) | null;
  asked: string[];
  token: (name: string) => Promise<{ secret: string; bearer: Bearer }>;
  close: () => Promise<void>;
}

/** The part of the HTTP interface that bench hosts use, on a port of its own. */
export async function benchServer(inventory: TestInventory): Promise<BenchServer> {
  const bearerWith = (secret: string) =>
    bearerOf(inventory.ina.db, { secret, kind: "bench", origin: null, now: inventory.clock.now });
  const own: BenchServer = {
    ...{ url: "", isCut: false, cutsAt: null, lies: null, asked: [] },
    token: async (name) => {
      const { secret } = value(await makeToken(inventory.ina, { name, kind: "bench", days: 30 }));
      return { secret, bearer: (await bearerWith(secret)) as Bearer };
    },
    close: () => new Promise((resolve) => server.close(() => resolve()).closeAllConnections()),
  };
  const answer = async (request: IncomingMessage, response: ServerResponse) => {
    const path = (request.url ?? "").replace(/^\/api\/v1\/bench\//, "");
    own.asked.push(path);
    if (own.isCut) return request.socket.destroy();
    const chunks: Buffer[] = [];
    for await (const chunk of request) chunks.push(chunk as Buffer);
    const bearer = await bearerWith((request.headers.authorization ?? "").replace(/^Bearer /, ""));
    let told = problemDetails({ code: "refused", why: { code: "token-refused" } });
    if (bearer) {
      const context = { ...inventory.ina, person: bearer.madeBy };
      const content = /^jobs\/(\d+)\/content\/(\d+)$/.exec(path);
      const asked = new Request(`http://creel.example${request.url}`, {
        method: request.method ?? "GET",
        headers: request.headers as Record<string, string>,
        ...(request.method === "POST" ? { body: Buffer.concat(chunks) } : {}),
      });
      if (content) {
        const opened = await openContent(context, bearer, rowId(content[1] ?? ""), Number(content[2]));
        told = opened.ok ? rangedAnswer(asked.headers, opened.value) : problemDetails(opened.problem);
      } else {
        told = await answered({ request: asked, context, bearer, params: { path: ["bench", ...path.split("/")] } });
      }
    }
    // What was asked is done; the answer may not arrive.
    if (own.isCut) return request.socket.destroy();
    response.writeHead(told.status, Object.fromEntries(told.headers));
    if (own.lies) return response.end(own.lies(path, await told.text()));
    let sent = 0;
    for await (const chunk of Readable.fromWeb(told.body as ReadableStream<Uint8Array>)) {
      response.write(chunk);
      sent += (chunk as Uint8Array).length;
      if (own.cutsAt?.path.test(path) && sent >= own.cutsAt.bytes) {
        own.cutsAt = null;
        return request.socket.destroy();
      }
    }
    response.end();
  };
  // A guest asks on after a test is over and its database is gone.
  const server = createServer(
    (request, response) => void answer(request, response).catch(() => request.socket.destroy()),
  );
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  own.url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  return own;
}
