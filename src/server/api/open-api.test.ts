import { readFileSync } from "node:fs";
import { ENDPOINTS } from "./endpoints";
import { endpointOf, openApi } from "./open-api";

test("docs/schemas/openapi.json is the one made from the code (npm run schemas)", () => {
  expect(readFileSync("docs/schemas/openapi.json", "utf8")).toBe(`${JSON.stringify(openApi(), null, 2)}\n`);
});

test("every endpoint is found by its own path, and by no other method", () => {
  for (const endpoint of ENDPOINTS) {
    const segments = endpoint.path
      .slice(1)
      .replace(/\{\w+\}/g, "x y")
      .split("/");
    expect(endpointOf(endpoint.method, segments)?.endpoint).toBe(endpoint);
    expect(endpointOf("DELETE", segments)).toBeNull();
    expect(endpointOf(endpoint.method, [...segments, "more", "than", "there", "is"])).toBeNull();
  }
  expect(endpointOf("GET", ["media", "RM-01", "computers", "HO-001"])?.places).toEqual({
    tag: "RM-01",
    computer: "HO-001",
  });
  expect(endpointOf("GET", [""])).toBeNull();
});

test("each operation says what it needs, what it takes and what it answers (OpenAPI 3.1, 4.8.10)", () => {
  const { paths } = openApi() as { paths: Record<string, Record<string, Record<string, unknown>>> };
  const operations = Object.values(paths).flatMap((path) => Object.values(path));
  expect(operations).toHaveLength(ENDPOINTS.length);
  for (const operation of operations) {
    expect(operation).toMatchObject({ operationId: expect.any(String), summary: expect.stringMatching(/\.$/) });
    expect(operation.security).toEqual([{ token: [expect.stringMatching(/^(read|facts|bench)$/)] }]);
    expect(Object.keys(operation.responses as object)).toEqual(expect.arrayContaining(["200", "default"]));
  }
  // A reference that leads nowhere is of no use to whoever makes a client of it.
  expect(JSON.stringify(paths)).not.toContain('"$ref":"#/definitions');
});
