import Link from "next/link";
import { actionText, entitiesText, noteText } from "@/core/words/events";
import { visible } from "@/core/words/visible";
import { zonedTimeText } from "./words";

interface Event {
  id: number;
  at: Date;
  personName: string;
  entity: string;
  entityTag: string;
  action: string;
  before: Record<string, unknown> | null;
  after: Record<string, unknown> | null;
  note?: string | null;
  /** How many it was done to, where more than this one. */
  count?: number;
}

/** What is not named by a tag is named with its kind. */
const KINDS: Record<string, string> = {
  "key card": "the boot keys of",
  calendar: "the calendar of",
  site: "the site",
  kit: "the kit",
  release: "the release",
  drill: "a drill:",
  "planned drill": "a drill:",
  image: "the image",
  rehearsal: "the rehearsal",
  store: "the store",
  device: "the device",
  berth: "the berth",
  person: "the person",
};

const FIELDS: Record<string, string> = {
  siteId: "site",
  lentTo: "loan",
  releaseIds: "releases",
  capacityBytes: "capacity",
  writtenOn: "day of writing",
  verified: "verification",
  memoryBytes: "memory",
  retiredAt: "retired",
  file: "what was read",
};

/** Changes, as they come. */
export function EventList({
  events,
  withTag,
  className = "space-y-2",
}: {
  events: Event[];
  withTag?: boolean;
  className?: string;
}) {
  return (
    <ul className={className}>
      {events.map((event) => (
        <EventLine key={event.id} event={event} withTag={withTag ?? true} />
      ))}
    </ul>
  );
}

/** One change: who, what, when, and which fields; hovering shows the values before and after. */
function EventLine({ event, withTag = true }: { event: Event; withTag?: boolean }) {
  if ((event.count ?? 1) > 1)
    return (
      <li className="text-[0.9rem]">
        <div>
          {event.personName} {actionText(event.action)} {entitiesText(event.entity, event.count ?? 1)}
        </div>
        <div className="caption">{zonedTimeText(event.at)}</div>
      </li>
    );
  const fields = event.action === "changed" ? Object.keys(event.after ?? {}) : [];
  const station = event.entity === "computer" ? "computers" : event.entity === "medium" ? "media" : null;
  return (
    <li className="text-[0.9rem]">
      <div>
        {event.personName} {actionText(event.action)}{" "}
        {withTag &&
          (station ? (
            <Link prefetch={false} className="code link" href={`/${station}/${encodeURIComponent(event.entityTag)}`}>
              {event.entityTag}
            </Link>
          ) : (
            <span>
              {KINDS[event.entity] ?? ""} {event.entityTag}
            </span>
          ))}
        {fields.length > 0 && <>: {fields.map((field) => FIELDS[field] ?? field).join(", ")}</>}
        {event.note && <span className="text-quiet"> ({visible(noteText(event.note), 120)})</span>}
      </div>
      {fields.length > 0 && (
        <details className="caption">
          <summary className="min-h-[24px] cursor-pointer py-1">was, and is</summary>
          <dl className="mt-1">
            {fields.map((field) => (
              <div key={field}>
                <dt className="inline font-semibold">{FIELDS[field] ?? field}: </dt>
                <dd className="code inline break-words">
                  {show(event.before?.[field])} → {show(event.after?.[field])}
                </dd>
              </div>
            ))}
          </dl>
        </details>
      )}
      <div className="caption">{zonedTimeText(event.at)}</div>
    </li>
  );
}

function show(value: unknown): string {
  if (value === null || value === undefined) return "nothing";
  return visible(typeof value === "string" ? value : JSON.stringify(value), 300);
}
