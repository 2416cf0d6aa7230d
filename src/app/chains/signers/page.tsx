import type { Metadata } from "next";
import Link from "next/link";
import type { FleetSigner, FleetSigners } from "@/core/fleet/signers";
import { changedText } from "@/core/words/rehearsal";
import { signersBeforeAndAfter } from "@/server/fleet/rehearsals";
import { dateText, plural, tagsText } from "@/ui/words";
import { currentContext } from "../../_lib/context";
import { positive, type SearchParams } from "../../_lib/params";

export const metadata: Metadata = { title: "Signers" };

export default async function Signers({ searchParams }: { searchParams: SearchParams }) {
  const [context, values] = await Promise.all([currentContext(), searchParams]);
  const { now, after, change, kept } = await signersBeforeAndAfter(context, positive(values.after) ?? null);
  const today = context.now().toISOString();
  const later = new Map(after?.signers.map((signer) => [signer.id, signer]));
  const gone = after?.signers.filter((signer) => !now.signers.some(({ id }) => id === signer.id)) ?? [];
  const rows: [FleetSigner | null, FleetSigner | null][] = [
    ...now.signers.map((signer): [FleetSigner, FleetSigner | null] => [signer, later.get(signer.id) ?? null]),
    ...gone.map((signer): [null, FleetSigner] => [null, signer]),
  ];
  return (
    <>
      <p>
        <Link prefetch={false} className="link" href="/chains">
          Chains
        </Link>
      </p>
      <h1>Trusted signers</h1>
      <p className="max-w-3xl text-quiet">{headline(now)}</p>
      {kept.length > 0 && (
        <form className="mt-3 flex flex-wrap items-end gap-2">
          <label>
            <span className="block font-semibold text-[0.9rem]">Compare with, after</span>
            <select name="after" defaultValue={values.after ?? ""} className="field w-auto sm:max-w-lg">
              <option value="">none: today only</option>
              {kept.map((item) => (
                <option key={item.id} value={item.id}>
                  {item.name}
                </option>
              ))}
            </select>
          </label>
          <button type="submit" className="act">
            Show
          </button>
        </form>
      )}
      {change && <p className="mt-2 font-semibold">{changedText(change)}:</p>}
      {rows.length === 0 ? (
        <p className="mt-5">Secure Boot lists not recorded for any computer. Import facts first.</p>
      ) : (
        <div className="mt-4 overflow-x-auto">
          <table className="w-full border-collapse text-[0.95rem]">
            <thead>
              <tr className="border-line border-b text-left align-bottom">
                <th scope="col" className="py-1 pr-3">
                  Certificate
                </th>
                <th scope="col" className="w-[16rem] py-1 pr-3">
                  Allowed by, of {now.known.toLocaleString("en-GB")}
                </th>
                <th scope="col" className="py-1 pr-3 pl-3">
                  Media it signs
                </th>
                <th scope="col" className="py-1">
                  only signer
                </th>
              </tr>
            </thead>
            <tbody className="divide-y divide-line border-line border-b">
              {rows.map(([own, then]) => {
                const signer = (own ?? then) as FleetSigner;
                return (
                  <tr key={signer.id} className="align-baseline">
                    <th scope="row" className="py-1.5 pr-3 text-left font-normal">
                      <span className="font-semibold">{signer.name}</span>
                      <span className="block caption">
                        {signer.notAfter < today ? "ended" : "valid to"} {dateText(signer.notAfter)}
                        {signer.notAfter < today && ": what it signed still starts"}
                      </span>
                    </th>
                    <td className="py-1.5 pr-3">
                      <Bar count={own?.allowing ?? 0} of={now.known} label={after ? "today" : null} />
                      {after && <Bar count={then?.allowing ?? 0} of={after.known} label="then" />}
                    </td>
                    <td className="code py-1.5 pr-3 pl-3">{tagsText(signer.media)}</td>
                    <td className="code py-1.5">{tagsText((then ?? own)?.alone ?? [])}</td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        </div>
      )}
      <Unvouched now={now} after={after} />
    </>
  );
}

function headline({ asking, known, signers }: FleetSigners): string {
  const used = signers.filter(({ media }) => media.length > 0).length;
  return `${plural(asking, "computer checks", "computers check")} signatures; the lists of ${known.toLocaleString("en-GB")} are known. They allow ${plural(signers.length, "certificate")}, and the fleet's media rest on ${used.toLocaleString("en-GB")} of them.`;
}

/** A count to the scale of all: dark for those that allow it, hatched for the rest. */
function Bar({ count, of, label }: { count: number; of: number; label: string | null }) {
  const share = of === 0 ? 0 : (count / of) * 100;
  return (
    <div className="flex items-center gap-2">
      {label && <span className="caption w-10">{label}</span>}
      <div className="h-3 flex-1 border border-line bg-sheet" aria-hidden="true">
        <div className="h-full bg-sea" style={{ width: `${share}%` }} />
      </div>
      <span className="w-10 text-right tabular-nums">{count.toLocaleString("en-GB")}</span>
    </div>
  );
}

function Unvouched({ now, after }: { now: FleetSigners; after: FleetSigners | null }) {
  const lost = after ? after.unvouched.filter((tag) => !now.unvouched.includes(tag)) : [];
  return (
    <div className="mt-4 max-w-3xl space-y-1">
      {lost.length > 0 && (
        <p className="border-plum border-l-4 bg-plum-soft px-3 py-2">
          After that, no computer allows a signer of <span className="code">{tagsText(lost)}</span>.
        </p>
      )}
      <p className="text-quiet">
        {now.unvouched.length === 0
          ? "Every medium with loaders for UEFI has a signer that some computer allows."
          : `With Secure Boot on, no computer allows the loaders of ${tagsText(now.unvouched)} by a certificate.`}
      </p>
    </div>
  );
}
