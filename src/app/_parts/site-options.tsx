/** The sites as options of a select. */
export function SiteOptions({ sites }: { sites: readonly { id: number; name: string }[] }) {
  return sites.map(({ id, name }) => (
    <option key={id} value={id}>
      {name}
    </option>
  ));
}
