import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { parse } from "@babel/parser";

/** A piece of text that people see, as the source has it: what is filled in is in braces. */
export interface Text {
  file: string;
  line: number;
  text: string;
}

/** Attributes of elements that nobody reads. */
const UNREAD: ReadonlySet<string> = new Set([
  ...["className", "href", "key", "name", "type", "id", "role", "htmlFor", "rel", "scope", "autoComplete", "inputMode"],
  ...["method", "d", "viewBox", "fill", "stroke", "dataKey", "aria-describedby", "aria-labelledby"],
]);
/** Words of style sheets, in strings that are no text. */
const STYLES = /(^|\s)(flex|grid|text-|border|bg-|gap-|px-|py-|mt-|font-|items-|size-|xl:|md:|sm:|max-w|accent-)/;

interface Node {
  type: string;
  start: number;
  end: number;
  loc: { start: { line: number } };
  [key: string]: unknown;
}

const isNode = (value: unknown): value is Node => typeof (value as Node | null)?.type === "string";

/** Every text of the source files below folders: elements' text, attributes that are read, strings, templates. */
export function textsOf(...folders: string[]): Text[] {
  const files = folders
    .flatMap((folder) => readdirSync(folder, { recursive: true, encoding: "utf8" }).map((path) => join(folder, path)))
    .filter((file) => /\.tsx?$/.test(file) && !file.includes(".test."))
    .sort();
  return files.flatMap((file) => textsOfFile(file, readFileSync(file, "utf8")));
}

function textsOfFile(file: string, source: string): Text[] {
  const found: Text[] = [];
  const plugins = file.endsWith("x") ? (["typescript", "jsx"] as const) : (["typescript"] as const);
  const add = (node: Node, raw: string) => {
    const text = raw.replace(/\s+/g, " ").trim();
    if (isText(text)) found.push({ file, line: node.loc.start.line, text });
  };
  const visit = (node: Node): void => {
    if (/^(Import|Export(All|Named)Declaration)/.test(node.type) && node.source) return;
    if (/^TS(Type|Interface|Literal|Union)/.test(node.type)) return;
    if (node.type === "JSXAttribute" && UNREAD.has(String((node.name as unknown as { name: unknown }).name))) return;
    if (node.type === "JSXText" || node.type === "StringLiteral") add(node, String(node.value));
    if (node.type === "TemplateLiteral") add(node, templateText(node, source));
    for (const [key, value] of Object.entries(node)) {
      // A name of a property is code.
      if (node.type === "ObjectProperty" && key === "key") continue;
      if (isNode(value)) visit(value);
      if (Array.isArray(value)) for (const each of value) if (isNode(each)) visit(each);
    }
  };
  visit(parse(source, { sourceType: "module", plugins: [...plugins] }).program as unknown as Node);
  return found;
}

/** "{count} files left": a template with what is filled in by its last name. */
function templateText({ quasis, expressions }: Node, source: string): string {
  const fills = (expressions as Node[]).map(({ start, end }) => {
    const code = source.slice(start, end);
    return `{${/^[\w.]+$/.test(code) ? (code.split(".").at(-1) ?? "") : "…"}}`;
  });
  return (quasis as { value: { cooked: string } }[]).map(({ value }, at) => value.cooked + (fills[at] ?? "")).join("");
}

/** Something that is read: a sentence, a label; no code, class or address. */
function isText(text: string): boolean {
  if (!/[A-Za-z]{2}/.test(text) || STYLES.test(text) || /^[@#./]|:\/\/|;\s*charset/.test(text)) return false;
  return /\s/.test(text) || /^[A-Z][a-z]+/.test(text);
}
