import Link from "next/link";
import { POLICY_KEYS, SITE_KEYS } from "@/core/cover/policy";
import { fromText, needTitle, POLICY_TITLES, policyValueText } from "@/core/words/policy";
import type { Context } from "@/server/context";
import { standingOfComputer } from "@/server/cover/view";
import { ChainLink } from "@/ui/chain";
import { dateText } from "@/ui/words";

/** What a computer must have: what it has of it, until when, and from where each part of its policy is. */
export async function PolicyView({ context, tag }: { context: Context; tag: string }) {
  const standing = await standingOfComputer(context, tag);
  if (!standing) return <p className="mt-4 text-quiet">Not in service: no policy applies.</p>;
  const { needs, policy, site, model, form } = standing;
  const rules: [string, URLSearchParams][] = [
    [`${tag} alone`, new URLSearchParams({ scope: "computer", target: tag })],
    ...(model
      ? [[`every ${model}`, new URLSearchParams({ scope: "model", target: model })] as [string, URLSearchParams]]
      : []),
    ...(form
      ? [[`every ${form}`, new URLSearchParams({ scope: "form", target: form })] as [string, URLSearchParams]]
      : []),
    ...(site ? [[site, new URLSearchParams({ scope: "site", target: site })] as [string, URLSearchParams]] : []),
    ["all", new URLSearchParams({ scope: "everywhere" })],
  ];
  return (
    <div className="mt-4">
      <h2>Required and present</h2>
      {needs.length === 0 && <p className="text-quiet">No route required by policy.</p>}
      <ul className="mt-1 divide-y divide-line border-line border-y">
        {needs.map(({ need, wanted, have, unproven, oldImage, lacksFrom }) => (
          <li key={need} className="grid grid-cols-[2.2rem_11rem_minmax(0,1fr)] items-center gap-x-3 py-1.5">
            <ChainLink verdict={have.length >= wanted ? "holds" : unproven.length > 0 ? "unknown" : "broken"} />
            <span>
              {needTitle(need)}, {wanted === 1 ? "one route" : `${wanted} routes`}
            </span>
            <span className="text-quiet">
              {have.length === 0 ? "none qualifies" : `${have.join(", ")} ${have.length === 1 ? "counts" : "count"}`}
              {lacksFrom !== null && `, until ${dateText(lacksFrom)}`}
              {have.length < wanted &&
                unproven.length > 0 &&
                `; ${unproven.slice(0, 5).join(", ")} would qualify once proven`}
              {oldImage && `; its newest image, of ${dateText(oldImage)}, is too old`}
            </span>
          </li>
        ))}
      </ul>
      <h2 className="mt-5">Policy</h2>
      <table className="mt-1 w-full max-w-3xl border-collapse">
        <tbody>
          {POLICY_KEYS.filter((key) => !SITE_KEYS.includes(key)).map((key) => (
            <tr key={key} className="border-line border-b align-baseline">
              <th scope="row" className="py-1 pr-4 text-left font-normal">
                {POLICY_TITLES[key]}
              </th>
              <td className="pr-4">{policyValueText(key, policy.values[key])}</td>
              <td className="whitespace-nowrap text-quiet">{fromText(policy.from[key])}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-2">
        Add a rule for{" "}
        {rules.map(([name, query], at) => (
          <span key={name}>
            {at > 0 && ", "}
            <Link prefetch={false} className="link" href={`/policy?${query}`}>
              {name}
            </Link>
          </span>
        ))}
        .
      </p>
    </div>
  );
}
