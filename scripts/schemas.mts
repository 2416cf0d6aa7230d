// Writes the JSON Schemas of the file forms from their Zod schemas. Usage: npm run schemas
import { mkdirSync, writeFileSync } from "node:fs";
import { schemaFiles } from "../src/core/words/documents/schemas";

mkdirSync("docs/schemas", { recursive: true });
for (const [name, content] of Object.entries(schemaFiles())) writeFileSync(`docs/schemas/${name}`, content);
