import type { Metadata } from "next";
import Link from "next/link";
import { fleetChoices } from "@/server/fleet/covers";
import { listRehearsals } from "@/server/fleet/rehearsals";
import { timeText } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { RehearsalForm } from "./rehearsal-form";

export const metadata: Metadata = { title: "What if" };

export default async function Rehearsals() {
  const context = await currentContext();
  const [kept, choices] = await Promise.all([listRehearsals(context), fleetChoices(context)]);
  return (
    <>
      <p>
        <Link prefetch={false} className="link" href="/chains">
          Chains
        </Link>
      </p>
      <h1>What-if</h1>
      <p className="mb-4 max-w-2xl text-quiet">
        See what a change would do before it happens: which routes break or heal, on which computers, and what to
        prepare first. The inventory stays unchanged.
      </p>
      <RehearsalForm {...choices} />
      <h2 className="mt-6">Earlier runs</h2>
      {kept.length === 0 ? (
        <p className="mt-1 text-quiet">None yet. Each run has its own address and can be shared.</p>
      ) : (
        <ul className="mt-2 divide-y divide-line border-line border-y">
          {kept.map((item) => (
            <li key={item.id} className="flex justify-between gap-4 py-1.5">
              <Link prefetch={false} className="link" href={`/chains/rehearsals/${item.id}`}>
                {item.name}
              </Link>
              <span className="caption whitespace-nowrap">
                {item.personName}, {timeText(item.createdAt)}
              </span>
            </li>
          ))}
        </ul>
      )}
    </>
  );
}
