import { z } from "zod";
import { ENDPOINTS, type Endpoint } from "./endpoints";

const schemaOf = (schema: z.ZodType) => {
  const { $schema: _, ...rest } = z.toJSONSchema(schema, { io: "input", unrepresentable: "any" });
  return rest;
};

/** RFC 9457. */
const PROBLEM = {
  description: "Why it is not done.",
  content: {
    "application/problem+json": {
      schema: {
        type: "object",
        properties: {
          type: { type: "string" },
          title: { type: "string" },
          status: { type: "integer" },
          detail: { type: "string" },
        },
        required: ["type", "title", "status"],
      },
    },
  },
};

function operationOf({ name, kind, summary, path, query, body, answer }: Endpoint) {
  const inPath = [...path.matchAll(/\{(\w+)\}/g)].map(([, each]) => each ?? "");
  const parameters = [
    ...inPath.map((each) => ({ name: each, in: "path", required: true, schema: { type: "string" } })),
    ...Object.entries(query).map(([each, description]) => ({
      ...{ name: each, in: "query", required: false, description, schema: { type: "string" } },
    })),
    ...(body
      ? [{ name: "Idempotency-Key", in: "header", required: false, schema: { type: "string", maxLength: 200 } }]
      : [{ name: "If-None-Match", in: "header", required: false, schema: { type: "string" } }]),
  ];
  return {
    operationId: name,
    summary,
    security: [{ token: [kind] }],
    parameters,
    ...(body ? { requestBody: { required: true, content: { "application/json": { schema: schemaOf(body) } } } } : {}),
    responses: {
      "200": { description: "Done.", content: { "application/json": { schema: schemaOf(answer) } } },
      ...(body ? {} : { "304": { description: "Unchanged: the ETag is the one that was sent." } }),
      default: PROBLEM,
    },
  };
}

/** The HTTP interface described as OpenAPI 3.1, made from the schemas that it answers by. */
export function openApi(): object {
  const paths: Record<string, Record<string, object>> = {};
  for (const endpoint of ENDPOINTS) {
    paths[endpoint.path] ??= {};
    Object.assign(paths[endpoint.path] as object, { [endpoint.method.toLowerCase()]: operationOf(endpoint) });
  }
  return {
    openapi: "3.1.0",
    info: { title: "Creel", version: "1", description: "Computers, media and whether one recovers the other." },
    servers: [{ url: "/api/v1" }],
    components: {
      securitySchemes: {
        token: { type: "http", scheme: "bearer", description: "A token of Creel's, good for one kind of requests." },
      },
    },
    paths,
  };
}

/** The endpoint of a path below /api/v1, with what stands in its places; null where there is none. */
export function endpointOf(
  method: string,
  segments: readonly string[],
): { endpoint: Endpoint; places: Record<string, string> } | null {
  for (const endpoint of ENDPOINTS) {
    const wanted = endpoint.path.slice(1).split("/");
    if (endpoint.method !== method || wanted.length !== segments.length) continue;
    const places: Record<string, string> = {};
    const isIt = wanted.every((each, at) => {
      const place = /^\{(\w+)\}$/.exec(each)?.[1];
      if (place) places[place] = segments[at] ?? "";
      return place !== undefined || each === segments[at];
    });
    if (isIt) return { endpoint, places };
  }
  return null;
}
