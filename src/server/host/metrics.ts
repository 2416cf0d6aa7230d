import { Counter, collectDefaultMetrics, Registry } from "prom-client";

interface Metrics {
  registry: Registry;
  asked: Counter<"act" | "outcome">;
}

// Next loads modules more than once; what is counted is counted for the process.
const kept = globalThis as typeof globalThis & { creelMetrics?: Metrics };

/** What this process counts, for Prometheus: itself, and what was asked of it. */
export function metrics(): Metrics {
  if (!kept.creelMetrics) {
    const registry = new Registry();
    collectDefaultMetrics({ register: registry, prefix: "creel_" });
    const asked = new Counter({
      name: "creel_asked_total",
      help: "What was asked of Creel that is in the audit, by what came of it.",
      labelNames: ["act", "outcome"] as const,
      registers: [registry],
    });
    kept.creelMetrics = { registry, asked };
  }
  return kept.creelMetrics;
}
