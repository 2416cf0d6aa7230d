import { mkdir, readdir, readFile, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { createTransport } from "nodemailer";
import { dataFolder } from "./folders";

export interface Mail {
  to: { name: string; address: string };
  subject: string;
  text: string;
  /** It lets whoever reads it in: it is not shown among other mails. */
  isPersonal?: boolean;
}

/** Sends mail; gives by what it can be found again. */
export interface Mailer {
  send(mail: Mail, at: Date): Promise<string>;
}

const FROM = { name: "Creel", address: "creel@creel.invalid" };
export const outboxFolder = () => join(dataFolder(), "outbox");
/** Mails that nobody but those who administer the machine may read. */
const personalFolder = () => join(dataFolder(), "outbox-personal");

/** Lays mail into a folder, as files that every mail program opens (RFC 5322): a stand-in for a server. */
export class Outbox implements Mailer {
  private readonly transport = createTransport({ streamTransport: true, buffer: true, newline: "windows" });

  async send({ isPersonal = false, ...mail }: Mail, at: Date): Promise<string> {
    const folder = isPersonal ? personalFolder() : outboxFolder();
    const { message } = await this.transport.sendMail({ from: FROM, date: at, ...mail });
    const day = at.toISOString().slice(0, 19).replaceAll(":", "");
    const name = mail.to.name
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "-")
      .slice(0, 60);
    await mkdir(folder, { recursive: true, mode: 0o700 });
    // Two of one second and name differ by a number.
    for (let nth = 1; ; nth++) {
      const file = `${day}-${name}${nth > 1 ? `-${nth}` : ""}.eml`;
      try {
        await writeFile(join(folder, file), message as Buffer, { flag: "wx", mode: 0o600 });
        return file;
      } catch (error) {
        if ((error as { code?: string }).code !== "EEXIST") throw error;
      }
    }
  }
}

/** Through a real server: its address in CREEL_SMTP, such as smtp://mail.example:25. */
class Smtp implements Mailer {
  constructor(private readonly address: string) {}

  async send({ isPersonal: _, ...mail }: Mail, at: Date): Promise<string> {
    const { messageId } = await createTransport(this.address).sendMail({ from: FROM, date: at, ...mail });
    return messageId;
  }
}

/** Whether mail leaves this machine; otherwise it is laid into a folder. */
export const hasMailServer = () => Boolean(process.env.CREEL_SMTP);

export function mailer(): Mailer {
  const address = process.env.CREEL_SMTP;
  return address ? new Smtp(address) : new Outbox();
}

const FILE = /^[0-9T-]+[a-z0-9-]*\.eml$/;

/** Mails of the outbox, the latest first. */
export async function outboxFiles(most = 100): Promise<string[]> {
  const names = await readdir(outboxFolder()).catch(() => []);
  return names
    .filter((name) => FILE.test(name))
    .sort()
    .reverse()
    .slice(0, most);
}

/** A mail of the outbox as it lies there; null where there is none of that name. */
export async function outboxFile(name: string): Promise<Buffer | null> {
  return FILE.test(name) ? readFile(join(outboxFolder(), name)).catch(() => null) : null;
}
