"use client";

import { Field } from "@/ui/field";

interface RegionalFieldsProps {
  zones: string[];
  zone: string;
  onZone: (zone: string) => void;
  currency: string;
  faults: { timeZone: string | undefined; currency: string | undefined };
}

/** The fields `timeZone` and `currency` of a form. */
export function RegionalFields({ zones, zone, onZone, currency, faults }: RegionalFieldsProps) {
  return (
    <div className="grid grid-cols-[1fr_6rem] gap-3">
      <Field label="Time zone" error={faults.timeZone}>
        {(props) => (
          <select {...props} name="timeZone" value={zone} onChange={(event) => onZone(event.target.value)}>
            {[...new Set(["UTC", zone, ...zones])].map((each) => (
              <option key={each}>{each}</option>
            ))}
          </select>
        )}
      </Field>
      <Field label="Currency" error={faults.currency}>
        {(props) => <input {...props} name="currency" defaultValue={currency} maxLength={3} required />}
      </Field>
    </div>
  );
}
