// Writes the JSON Schemas of the file forms, and the description of the HTTP interface, from their Zod schemas. Usage: npm run schemas
import { mkdirSync, writeFileSync } from "node:fs";
import { openApi } from "@/server/api/open-api";
import { schemaFiles } from "../src/core/words/documents/schemas";

mkdirSync("docs/schemas", { recursive: true });
for (const [name, content] of Object.entries(schemaFiles())) writeFileSync(`docs/schemas/${name}`, content);
writeFileSync("docs/schemas/openapi.json", `${JSON.stringify(openApi(), null, 2)}\n`);
