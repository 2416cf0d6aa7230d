import clsx from "clsx";
import Link from "next/link";
import type { Facts } from "@/core/computer/facts/schema";
import type { PciNames } from "@/core/computer/hardware/pci-ids";
import { type Capacity, needsOf, OUTCOMES, type Outcome } from "@/core/computer/needs/needs";
import type { StoredRatio } from "@/core/computer/needs/stored-size";
import type { SecureBootSummary } from "@/core/computer/secure-boot/lists";
import { archText } from "@/core/words/firmware";
import {
  bothText,
  hintText,
  OUTCOME_TITLES,
  rangeText,
  signerNeedText,
  startNeedText,
  termText,
} from "@/core/words/needs";
import { visible } from "@/core/words/visible";
import { deviceName } from "./facts";

/** What a medium must bring to give this computer back, by outcome. */
export function NeedsView({
  facts,
  stored,
  lists,
  names,
  outcome,
  href,
}: {
  facts: Facts;
  /** What used bytes come to in its images. */
  stored: StoredRatio;
  lists: SecureBootSummary;
  names: PciNames;
  outcome: Outcome;
  href: (outcome: Outcome) => string;
}) {
  const needs = needsOf(facts, lists, outcome, stored);
  return (
    <div className="mt-5">
      <nav aria-label="Outcomes" className="flex flex-wrap gap-x-5 gap-y-1">
        {OUTCOMES.map((each) => (
          <Link
            key={each}
            prefetch={false}
            scroll={false}
            href={href(each)}
            aria-current={each === outcome ? "page" : undefined}
            className={clsx(each === outcome ? "border-rope border-b-2 font-bold no-underline" : "link")}
          >
            {OUTCOME_TITLES[each]}
          </Link>
        ))}
      </nav>
      <dl className="mt-3 border-line border-t">
        <Need title="Start path">{startNeedText(needs.start)}</Need>
        <Need title="Signed by">
          {signerNeedText(needs.signers)}
          {needs.signers.state === "signed" && needs.signers.revokedDigests > 0 && (
            <span className="block text-quiet">
              Not among {needs.signers.revokedDigests.toLocaleString("en-GB")} revoked programs.
            </span>
          )}
          {needs.signers.state === "signed" &&
            needs.signers.leastGenerations
              .filter((row) => row.component !== "sbat")
              .map((row) => (
                <span key={row.component} className="block text-quiet">
                  Generation {row.generation} of {visible(row.component, 40)} or later, behind a first-stage loader.
                </span>
              ))}
        </Need>
        <Need title="Processor">
          {needs.environmentArch === null
            ? "Architecture not recorded. Import the computer's facts."
            : `An environment for ${archText(needs.environmentArch)}${outcome === "repair" ? ": a 32-bit one cannot service a 64-bit system" : ""}.`}
        </Need>
        {(outcome === "reinstall" || outcome === "repair") && (
          <Need title="System">
            {needs.system === null
              ? "System not recorded. Import the computer's facts."
              : outcome === "reinstall"
                ? `The same again: ${[needs.system.name, needs.system.version, needs.system.edition, needs.system.arch, needs.system.language].filter(Boolean).join(", ")}; what the licence covers decides.`
                : `An environment not older than ${[needs.system.name, needs.system.version].filter(Boolean).join(" ")}.`}
          </Need>
        )}
        <Need title="Least capacity">
          <CapacitySum capacity={needs.capacity} />
        </Need>
        <Need title="Drivers in the kit">
          {!needs.driversKnown && "Controllers not recorded. Import the computer's facts."}
          {needs.driversKnown && needs.drivers.length === 0 && "None needed."}
          <ul>
            {needs.drivers.map((driver) => (
              <li key={driver.modalias}>
                <span className="text-quiet">{driver.use}:</span> {deviceName(driver.modalias, driver.name, names)}
                <span className="code caption block truncate" title={driver.modalias}>
                  {visible(driver.modalias, 100)}
                </span>
              </li>
            ))}
          </ul>
        </Need>
        <Need title="Attachment">
          <ul>
            {needs.hints.map((hint, index) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: made anew on every request
              <li key={index}>{hintText(hint)}</li>
            ))}
          </ul>
        </Need>
      </dl>
    </div>
  );
}

function Need({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <div className="grid gap-x-3 border-line border-b py-2 sm:grid-cols-[9rem_minmax(0,1fr)]">
      <dt className="font-semibold">{title}</dt>
      <dd className="min-w-0">{children}</dd>
    </div>
  );
}

/** The sum, term by term, in both unit systems. */
function CapacitySum({ capacity }: { capacity: Capacity }) {
  const { terms, least, most, open } = capacity;
  return (
    <table className="w-full border-collapse">
      <caption className="sr-only">Least capacity in detail</caption>
      <tbody>
        {terms.map((term) => (
          <tr key={`${term.code}${term.of}`} className="align-top">
            <td className="pr-3">{termText(term)}</td>
            <td className="text-right tabular-nums sm:whitespace-nowrap">{rangeText(term.least, term.most)}</td>
          </tr>
        ))}
        <tr className="border-line border-t font-bold">
          <td className="pr-3">{open ? "at least, as far as it is known" : "together"}</td>
          <td className="text-right tabular-nums sm:whitespace-nowrap">
            {open ? bothText(least) : rangeText(least, most)}
          </td>
        </tr>
      </tbody>
    </table>
  );
}
