"use client";

export type Sent = { ok: true; id: number } | { ok: false; problem: string };

/** Sends JSON gzip-compressed; what a file holds can be some ten megabytes of text. */
export async function sendPacked(url: string, method: "POST" | "PUT", value: unknown): Promise<Sent> {
  try {
    const packed = new Blob([JSON.stringify(value)]).stream().pipeThrough(new CompressionStream("gzip"));
    const response = await fetch(url, { method, body: await new Response(packed).blob() });
    const answer = (await response.json()) as { id?: number; problem?: string };
    return response.ok && answer.id !== undefined
      ? { ok: true, id: answer.id }
      : { ok: false, problem: answer.problem ?? "The server refused it." };
  } catch {
    return { ok: false, problem: "No answer from the server. Nothing saved. Try again." };
  }
}
