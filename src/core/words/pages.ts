/** What each page is for and what to do first on it, by the beginning of its address; the longest that fits counts. */
const PAGES: [string, string][] = [
  ["/", "Today: who is down now, what to do this week, where each site stands. Start with the most urgent task."],
  [
    "/callouts",
    "Call-outs: say which computer failed and what happened. Recovery routes follow, best first; tick the run sheet as you go.",
  ],
  [
    "/computers",
    "Computers: every computer with its best route. Choose one to see its routes, facts, disks and policy.",
  ],
  [
    "/computers/facts",
    "Import facts: drop the collector's file or tools' outputs. You see every change before it is saved.",
  ],
  [
    "/computers/import",
    "Import and export: a table of many computers, all rows or none. An export imports to the same state.",
  ],
  ["/boot-keys", "Boot keys: the keys of each make and model, its quirks and how disks are fitted, for run sheets."],
  [
    "/operating-systems",
    "Operating systems: what the computers run and until when it is supported. Import a release calendar first.",
  ],
  [
    "/media",
    "Media: what is really on each medium, what it starts, and who has it. Register one by dropping its file.",
  ],
  ["/bench/hosts", "Bench hosts: computers elsewhere whose USB ports and card slots are berths of this bench."],
  ["/bench", "Bench: devices in their berths. Make a medium, verify one, or test a stick for its true size."],
  ["/bench/make", "Make a medium: for whom, what, where, and a check of what it will be before anything is written."],
  ["/images", "Images: points in time of each computer and where their copies are. Due: which to take next."],
  ["/images/take", "Prepare an image: its name, its size, whether it fits, and what to check before and after."],
  ["/images/what-goes", "Retention: what can be deleted and what is kept, as a preview. Creel deletes no files."],
  ["/stores", "Stores: where images are kept. Scan one, or drop a listing of it."],
  ["/kits", "Kits: bootable environments and their releases. Add a release by reading its file."],
  ["/look", "Read a file: boot paths, signers, contents and files of an ISO or a raw image. Nothing is uploaded."],
  ["/chains", "Chains: all computers against all media, worst first. Open a cell for its reasons."],
  ["/chains/rehearsals", "What-if: see what a change would break before it happens. The inventory stays unchanged."],
  ["/chains/signers", "Trusted signers: which computers allow which certificates, and which media depend on them."],
  ["/drills", "Drills: starts and restores on the computer itself. They close the Proven link."],
  ["/upkeep", "Due: tasks computed from events and dates, by what they break. Record, plan or postpone each."],
  ["/upkeep/visits", "Visits: everything due at a site in one trip."],
  ["/upkeep/ahead", "Forecast: how many computers meet their policy, by day, if nothing is done."],
  ["/upkeep/mail", "Calendars and mail: calendars to subscribe to, reports, and digests by mail."],
  ["/cover", "Cover: which computers miss their policy, and why. Plan the cheapest set of media from here."],
  ["/policy", "Policy and travel: what each computer requires, and the travel times between sites."],
  ["/sites", "Sites: where computers and media are. Take stock at one, or see what is lent."],
];

/** What the page at an address is for; null where nothing is said of it. */
export function pageText(path: string): string | null {
  const fits = ([prefix]: [string, string]) =>
    prefix === "/" ? path === "/" : path === prefix || path.startsWith(`${prefix}/`);
  const [best] = PAGES.filter(fits).sort(([a], [b]) => b.length - a.length);
  return best?.[1] ?? null;
}
