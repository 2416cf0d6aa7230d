"use client";

import { useRouter } from "next/navigation";
import QRCode from "qrcode";
import { type FormEvent, useState } from "react";
import { z } from "zod";
import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useReady } from "@/ui/use-ready";
import { ask } from "../_door/ask";

const begunSchema = z.object({ totpURI: z.string(), backupCodes: z.array(z.string()) });

interface Begun {
  /** Of what an authenticator scans, as an address of its data. */
  picture: string;
  /** The same for typing. */
  secret: string;
  backupCodes: string[];
}

/** A code of an authenticator (TOTP, RFC 6238) as the second thing that signing in asks for. */
export function SecondFactor({ isOn }: { isOn: boolean }) {
  const router = useRouter();
  const ready = useReady();
  const [problem, setProblem] = useState<string | null>(null);
  const [begun, setBegun] = useState<Begun | null>(null);

  const begin = async (password: string) => {
    const answer = await ask("/two-factor/enable", { password });
    if (!answer.ok) return setProblem(answer.problem);
    const { totpURI, backupCodes } = begunSchema.parse(answer.value);
    const picture = await QRCode.toDataURL(totpURI, { margin: 1, width: 200 });
    setBegun({ picture, secret: new URL(totpURI).searchParams.get("secret") ?? "", backupCodes });
  };
  const end = async (path: string, body: Record<string, unknown>) => {
    const answer = await ask(path, body);
    if (!answer.ok) return setProblem(answer.problem);
    setBegun(null);
    router.refresh();
  };
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = event.currentTarget;
    const said = new FormData(form);
    const password = String(said.get("password") ?? "");
    setProblem(null);
    if (begun) await end("/two-factor/verify-totp", { code: String(said.get("code") ?? "").replace(/\s/g, "") });
    else if (isOn) await end("/two-factor/disable", { password });
    else await begin(password);
    form.reset();
  };
  return (
    <form onSubmit={submit} aria-busy={!ready} className="max-w-md space-y-3">
      <h2>Second factor</h2>
      <p>
        {isOn
          ? "On: signing in needs a code of your authenticator app."
          : "Off. With it, a stolen password alone lets nobody in."}
      </p>
      {begun ? (
        <>
          <p>Scan this with an authenticator app, then enter the code that it shows.</p>
          {/* biome-ignore lint/performance/noImgElement: made here, from data */}
          <img src={begun.picture} alt="QR code for an authenticator app" width={200} height={200} />
          <p className="caption">
            Or type: <span className="code">{begun.secret}</span>
          </p>
          <p>Backup codes, for when the app is lost. Each works once. They are not shown again.</p>
          <ul className="code grid grid-cols-2 gap-x-6" aria-label="Backup codes">
            {begun.backupCodes.map((code) => (
              <li key={code}>{code}</li>
            ))}
          </ul>
          <Field label="Code">
            {(props) => <input {...props} key="code" name="code" inputMode="numeric" required />}
          </Field>
        </>
      ) : (
        <Field label="Your password">
          {(props) => <input {...props} name="password" type="password" autoComplete="current-password" required />}
        </Field>
      )}
      <ProblemLine text={problem} />
      <button type="submit" className="act">
        {begun ? "Confirm" : isOn ? "Turn off" : "Turn on"}
      </button>
    </form>
  );
}
