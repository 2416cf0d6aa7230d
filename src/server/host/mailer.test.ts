import { createServer, type Socket } from "node:net";
import { join } from "node:path";
import { simpleParser } from "mailparser";
import { tempWorkshop } from "../../../test/support/workshop";
import { mailer, Outbox, outboxFile, outboxFiles } from "./mailer";

const w = tempWorkshop();
const AT = new Date("2026-11-26T06:00:00Z");
const MAIL = {
  to: { name: "Nörth Pier; quay", address: "north.pier@creel.invalid" },
  subject: "Nörth Pier: one thing came up",
  text: "- Run a drill of RM-01 on NP-001.\n.\nA line that begins with a point ends no mail.\n",
};

beforeAll(() => {
  process.env.CREEL_DATA = join(w.folder, "data");
});
afterAll(() => {
  delete process.env.CREEL_DATA;
  delete process.env.CREEL_SMTP;
});

test("what lies in the outbox is a mail that another library reads as it was written; two of one second are two", async () => {
  expect(await outboxFiles()).toEqual([]);
  const outbox = new Outbox();
  const names = [await outbox.send(MAIL, AT), await outbox.send(MAIL, AT)];
  expect(names).toEqual(["2026-11-26T060000-n-rth-pier-quay.eml", "2026-11-26T060000-n-rth-pier-quay-2.eml"]);
  expect((await outboxFiles()).sort()).toEqual([...names].sort());
  const bytes = (await outboxFile(names[0] ?? "")) ?? Buffer.alloc(0);
  // RFC 5322, 2.1 and 2.1.1: lines end with CRLF, and have at most 998 octets.
  expect(bytes.toString("latin1").replaceAll("\r\n", "")).not.toMatch(/[\r\n]/);
  for (const line of bytes.toString("latin1").split("\r\n")) expect(line.length).toBeLessThanOrEqual(998);
  const mail = await simpleParser(bytes);
  expect(mail.subject).toBe(MAIL.subject);
  expect(mail.text).toBe(MAIL.text);
  expect(mail.date).toEqual(AT);
  expect(mail.to).toMatchObject({ value: [{ name: MAIL.to.name, address: MAIL.to.address }] });
});

test.each(["", "../secret.eml", "2026.eml/../x", "x.txt", "2026-11-26T060000-a.eml\0"])(
  "%j is no mail of the outbox",
  async (name) => {
    expect(await outboxFile(name)).toBeNull();
  },
);

/** A server that takes mail as RFC 5321 says, and keeps what it was given. */
async function mailServer(): Promise<{ port: number; received: Promise<string>; close: () => void }> {
  let take: (data: string) => void = () => {};
  const received = new Promise<string>((resolve) => {
    take = resolve;
  });
  const serve = (socket: Socket) => {
    let data: string | null = null;
    socket.write("220 mail.example ESMTP\r\n");
    socket.setEncoding("utf8").on("data", (chunk: string) => {
      for (const line of chunk.split("\r\n").slice(0, -1)) {
        if (data !== null) {
          if (line !== ".") {
            data += `${line}\n`;
            continue;
          }
          take(data);
          data = null;
          socket.write("250 2.0.0 taken\r\n");
        } else if (/^DATA/i.test(line)) {
          data = "";
          socket.write("354 go on\r\n");
        } else if (/^QUIT/i.test(line)) socket.end("221 bye\r\n");
        else socket.write("250 mail.example\r\n");
      }
    });
  };
  const server = createServer(serve);
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  const address = server.address();
  return { port: typeof address === "object" && address ? address.port : 0, received, close: () => server.close() };
}

test("with a server named mail goes there, and nothing into the outbox", async () => {
  const { port, received, close } = await mailServer();
  process.env.CREEL_SMTP = `smtp://127.0.0.1:${port}`;
  const before = await outboxFiles();
  await mailer().send(MAIL, AT);
  const mail = await simpleParser((await received).replaceAll("\n..", "\n."));
  expect([mail.subject, mail.text]).toEqual([MAIL.subject, MAIL.text]);
  expect(await outboxFiles()).toEqual(before);
  close();
});
