import type { ReactNode } from "react";

/** Master and detail: side by side on a wide screen, stacked on a tablet, the detail first where one is chosen. */
export function Station({ list, detail, chosen }: { list: ReactNode; detail: ReactNode; chosen: boolean }) {
  return (
    <div className="grid gap-6 lg:grid-cols-[24rem_minmax(0,1fr)]">
      <section aria-label="List" className={chosen ? "order-2 lg:order-1" : ""}>
        {list}
      </section>
      <section aria-label="Detail" className={chosen ? "order-1 min-w-0 lg:order-2" : "min-w-0"}>
        {detail}
      </section>
    </div>
  );
}
