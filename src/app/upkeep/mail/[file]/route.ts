import { outboxFile } from "@/server/host/mailer";
import { route } from "../../../_lib/guard";

/** A mail of the outbox, as every mail program opens it. */
export const GET = route<{ file: string }>("readMail", "reader", async ({ params }) => {
  const mail = await outboxFile(params.file);
  if (!mail) return new Response("There is no such mail in the outbox.", { status: 404 });
  return new Response(new Uint8Array(mail), { headers: { "content-type": "message/rfc822" } });
});
