import { outboxFile } from "@/server/host/mailer";

/** A mail of the outbox, as every mail program opens it. */
export async function GET(_: Request, { params }: { params: Promise<{ file: string }> }): Promise<Response> {
  const mail = await outboxFile((await params).file);
  if (!mail) return new Response("There is no such mail in the outbox.", { status: 404 });
  return new Response(new Uint8Array(mail), { headers: { "content-type": "message/rfc822" } });
}
