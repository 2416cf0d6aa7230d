import { z } from "zod";

/**
 * What a schema tells of a value that does not fit, in plain words within a sentence, where the schema itself says nothing:
 * "it is missing", "it must be one of “usb”, “disk”". Set for the whole process where this module is imported.
 */
z.config({ customError: (issue) => plainIssue(issue) });

type Issue = Parameters<NonNullable<NonNullable<ReturnType<typeof z.config>["customError"]>>>[0];

function plainIssue(issue: Issue): string | undefined {
  switch (issue.code) {
    case "invalid_type":
      return issue.input === undefined || issue.input === null
        ? "it is missing"
        : `it must be ${typeText(issue.expected)}`;
    case "invalid_value":
      return `it must be one of ${issue.values.map((value) => `“${String(value)}”`).join(", ")}`;
    case "too_small":
      if (issue.origin === "string")
        return Number(issue.minimum) <= 1 ? "it is empty" : `it has fewer than ${issue.minimum} characters`;
      return issue.origin === "array"
        ? `it has fewer than ${issue.minimum} entries`
        : `it must be at least ${issue.minimum}`;
    case "too_big":
      if (issue.origin === "string") return `it has more than ${issue.maximum} characters`;
      return issue.origin === "array"
        ? `it has more than ${issue.maximum} entries`
        : `it must be at most ${issue.maximum}`;
    case "invalid_format":
      return FORMATS[issue.format] ?? "it has the wrong format";
    case "not_multiple_of":
      return `it must be a multiple of ${issue.divisor}`;
    case "unrecognized_keys":
      return `it has unknown fields: ${issue.keys.map((key) => `“${key}”`).join(", ")}`;
    case "invalid_union":
      return "it has none of the allowed forms";
    default:
      return undefined;
  }
}

const TYPES: Record<string, string> = {
  ...{ string: "text", number: "a number", int: "a whole number", boolean: "true or false", array: "a list" },
  ...{ object: "an object", record: "an object", date: "a day" },
};
const typeText = (expected: string) => TYPES[expected] ?? expected;

const FORMATS: Record<string, string> = {
  date: "it is not a date such as 2026-07-01",
  datetime: "it is not a time such as 2026-07-01T10:00:00Z",
  email: "it is not an email address",
  url: "it is not an address such as https://creel.example",
};
