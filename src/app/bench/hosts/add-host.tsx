"use client";

import { Field } from "@/ui/field";
import { ProblemLine } from "@/ui/problem-line";
import { useMaking } from "../../_parts/use-making";
import { addBenchHostAction, type HostToken } from "./actions";

const DAYS = [
  { value: 30, text: "30 days" },
  { value: 365, text: "one year" },
  { value: null, text: "until it is ended" },
] as const;

/** Makes a token for a computer, and shows this once how that becomes a bench host. */
export function AddHost() {
  const { made, faults, problem, pending, isReady, submit } = useMaking(({ text }) =>
    addBenchHostAction({ name: text("name"), days: DAYS[Number(text("days"))]?.value ?? null }),
  );
  return (
    <section aria-label="Add a bench host" className="mt-7">
      <h2>Add a bench host</h2>
      <form
        onSubmit={submit}
        aria-busy={!isReady}
        className="mt-2 grid max-w-3xl gap-3 sm:grid-cols-[minmax(0,1fr)_14rem]"
      >
        <Field label="Name" hint="Such as: Ina's laptop." error={faults.name}>
          {(props) => <input {...props} name="name" autoComplete="off" />}
        </Field>
        <Field label="Valid for" error={faults.days}>
          {(props) => (
            <select {...props} name="days" defaultValue={1}>
              {DAYS.map(({ text }, nth) => (
                <option key={text} value={nth}>
                  {text}
                </option>
              ))}
            </select>
          )}
        </Field>
        <div className="sm:col-span-2">
          <button type="submit" className="act-main" disabled={pending}>
            {pending ? "Adding …" : "Add host"}
          </button>
          <ProblemLine text={problem} />
        </div>
      </form>
      {made && <HowTo {...made} />}
    </section>
  );
}

function HowTo({ server, secret }: HostToken) {
  const use = `--server ${server} --token-file creel-bench.token`;
  const token = `umask 077; printf '%s\\n' ${secret} > creel-bench.token`;
  return (
    <div role="status" className="mt-4 max-w-5xl border-rope border-l-4 pl-3">
      <p>Run this on that computer. The token in its first line is a secret and is not shown again.</p>
      <Lines
        title="Linux on x64"
        lines={[
          token,
          `curl -fsSO ${server}/bench/hosts/creel-bench`,
          "chmod 755 creel-bench",
          `sudo ./creel-bench ${use}`,
        ]}
      />
      <Lines
        title="Any other Linux, with Node.js 20 or later"
        lines={[token, `curl -fsSO ${server}/bench/hosts/creel-bench.cjs`, `sudo node creel-bench.cjs ${use}`]}
      />
    </div>
  );
}

function Lines({ title, lines }: { title: string; lines: string[] }) {
  return (
    <section aria-label={title} className="mt-3">
      <h3 className="font-semibold text-[0.9rem]">{title}</h3>
      <pre className="code mt-1 whitespace-pre-wrap break-all text-[0.85rem]">{lines.join("\n")}</pre>
    </section>
  );
}
