import type { BiosStep, StartCode } from "../../medium/firmware/bios/view";
import type { Attachment, Views } from "../../medium/inspection/schema";
import type { Path } from "./path";

/** What BIOS does with a medium, as its start code was followed when the medium was read. */
export function biosPath(views: Views, as: Attachment): Path {
  const view = views.bios[as];
  const trace = view.steps;
  const last: BiosStep | null = view.steps.at(-1) ?? null;
  if (view.outcome === "stops")
    return { verdict: "broken", basis: "standard", reasons: [{ code: "bios-stops", step: last }], trace };
  if (view.outcome === "unknown")
    return { verdict: "unknown", basis: null, reasons: [{ code: "bios-not-known", step: last }], trace };
  const program: StartCode = last?.code === "core-runs" ? last.program : "unknown";
  const lenient = view.leniencies.map((leniency) => ({ code: "bios-lenient", leniency }) as const);
  return {
    verdict: "holds",
    basis: lenient.length > 0 ? "reference" : "standard",
    reasons: [{ code: "bios-starts", program }, ...lenient],
    trace,
  };
}
