import { readFileSync } from "node:fs";
import { join } from "node:path";
import { schemaFiles } from "./schemas";

const files = Object.entries(schemaFiles());

test("there are schemas to compare", () => expect(files.length).toBe(8));

test.each(files)("docs/schemas/%s is the one made from the code (npm run schemas)", (name, content) => {
  expect(readFileSync(join(__dirname, "..", "..", "..", "..", "docs", "schemas", name), "utf8")).toBe(content);
});
