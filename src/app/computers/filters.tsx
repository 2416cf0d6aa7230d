import { MISSING } from "@/core/computer/facts/missing";
import { LINK_NAMES } from "@/core/judging/model/schema";
import { missingText } from "@/core/words/facts";
import { archText } from "@/core/words/firmware";
import { linkTitle } from "@/core/words/reasons";
import { standingText } from "@/core/words/routes";
import type { FilterChoices } from "@/server/computers/computer-list";
import { FilterForm } from "@/ui/filter-form";
import { dateText } from "@/ui/words";
import { BEST_VALUES } from "./bests";
import { type ComputersState, computersQuery } from "./state";

const FIRMWARE_TEXT = { uefi: "UEFI", legacy: "UEFI in legacy mode", bios: "BIOS", unknown: "not recorded" };
const SECURE_TEXT = { on: "on", off: "off", setup: "in setup mode", absent: "absent", unknown: "not recorded" };

/** The filter of the list of computers. `narrow`: beside a chosen computer only the few that matter most. */
export function ComputerFilters({
  state,
  choices,
  sites,
  path = "/computers",
  show = null,
  narrow = false,
}: {
  state: ComputersState;
  choices: FilterChoices | null;
  sites: { id: number; name: string }[];
  /** Where the list stands: the table, or beside a computer, on which view of it. */
  path?: string;
  show?: string | null;
  narrow?: boolean;
}) {
  const { filter } = state;
  const entries = <T extends string>(texts: Record<T, string>) =>
    (Object.entries(texts) as [T, string][]).map(([value, text]) => ({ value, text }));
  const selects = [
    {
      name: "site",
      label: "Site",
      value: filter.siteId?.toString(),
      choices: sites.map((site) => ({ value: String(site.id), text: site.name })),
    },
    {
      name: "best",
      label: "Best route",
      value: filter.best,
      choices: BEST_VALUES.map((best) => ({ value: best, text: standingText(best) })),
    },
    ...(narrow || !choices
      ? []
      : [
          {
            name: "at",
            label: "Weakest link",
            value: filter.at,
            choices: LINK_NAMES.map((link) => ({ value: link, text: linkTitle(link) })),
          },
          { name: "firmware", label: "Firmware", value: filter.firmware, choices: entries(FIRMWARE_TEXT) },
          {
            name: "arch",
            label: "Architecture",
            value: filter.arch,
            choices: choices.arches.map((arch) => ({ value: arch, text: archText(arch) })),
          },
          { name: "secure", label: "Secure Boot", value: filter.secureBoot, choices: entries(SECURE_TEXT) },
          {
            name: "signer",
            label: "Signer",
            value: filter.signer?.toString(),
            choices: choices.signers.flatMap(({ id, name, notAfter }) => [
              { value: String(id), text: `allows ${name} (to ${dateText(notAfter)})` },
              { value: String(-id), text: `does not allow ${name}` },
            ]),
          },
          {
            name: "system",
            label: "System",
            value: filter.system,
            choices: choices.systems.map((system) => ({ value: system, text: system })),
          },
          {
            name: "model",
            label: "Model",
            value: filter.model,
            choices: [...new Set(choices.models.map(({ model }) => model))].map((model) => ({
              value: model,
              text: [choices.models.find((each) => each.model === model)?.make, model].filter(Boolean).join(" "),
            })),
          },
          {
            name: "missing",
            label: "Missing facts",
            value: filter.missing,
            choices: [
              { value: "any", text: "any deciding fact" },
              ...MISSING.map((fact) => ({ value: fact, text: missingText(fact) })),
            ],
          },
        ]),
    {
      name: "retired",
      label: "In service",
      all: "in service",
      value: filter.retired ? "1" : undefined,
      choices: [{ value: "1", text: "retired only" }],
    },
  ];
  // What this form does not show stays as it is.
  const kept = new URLSearchParams(computersQuery({ ...state, page: 1 }));
  for (const name of ["q", ...selects.map((select) => select.name)]) kept.delete(name);
  if (show) kept.set("show", show);
  return (
    <FilterForm
      key={computersQuery({ filter })}
      path={path}
      text={filter.text}
      textLabel="Tag, name, serial, model"
      selects={selects}
      kept={Object.fromEntries(kept)}
    />
  );
}
