import { getTableConfig, MySqlTable } from "drizzle-orm/mysql-core";
import * as schema from "@/server/db/schema";
import { EMPTIED } from "../../scripts/demo/emptied";

const tables = Object.values(schema).filter((each) => each instanceof MySqlTable);
const nameOf = (table: MySqlTable) => getTableConfig(table).name;

test("what a demo begins without is emptied before what it refers to, however it was used", () => {
  expect(tables.length).toBeGreaterThan(50);
  const order = new Map(EMPTIED.map((table, nth) => [nameOf(table), nth]));
  const inTheWay = tables.flatMap((table) => {
    const { name, foreignKeys } = getTableConfig(table);
    return foreignKeys.flatMap((key) => {
      const of = nameOf(key.reference().foreignTable);
      const [own, theirs] = [order.get(name), order.get(of)];
      const goesBy = key.onDelete === "cascade" || of === name || theirs === undefined;
      return goesBy || (own !== undefined && own < theirs) ? [] : [`${name} refers to ${of}`];
    });
  });
  // Releases that name each other are taken apart first.
  expect(inTheWay).toEqual([]);
});
