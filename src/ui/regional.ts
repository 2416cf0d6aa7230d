/** In what time zone and currency this Creel speaks: an organisation has one of each. */
export interface Regional {
  timeZone: string;
  currency: string | null;
}

// The server's code for pages and that for their interactive parts are bundled apart; both see this.
const kept = globalThis as typeof globalThis & { creelRegional?: Regional };

/** Says it, on the server, to everything that is drawn from now on. */
export function speakOf(regional: Regional): void {
  kept.creelRegional = regional;
}

/** As the server said; in a browser, as the page that is shown says of itself. */
export function regional(): Regional {
  if (typeof document === "undefined") return kept.creelRegional ?? { timeZone: "UTC", currency: null };
  const { zone = "UTC", currency = "" } = document.documentElement.dataset;
  return { timeZone: zone, currency: currency || null };
}
