import { textsOf } from "./texts";

/** The page of all sentences, by the file that makes them: what is filled in is in braces. */
export function wordsPage(): string {
  const texts = textsOf("src/core/words").filter(({ text }) => /\s/.test(text));
  const files = [...new Set(texts.map(({ file }) => file))];
  const parts = files.map((file) => {
    const own = texts.filter((each) => each.file === file).map(({ text }) => `- ${text.replace(/[<>|]/g, "\\$&")}`);
    return `## ${file.replace("src/core/words/", "").replace(/\.ts$/, "")}\n\n${[...new Set(own)].join("\n")}\n`;
  });
  return `# Words\n\nEvery sentence that Creel makes, by the file in \`src/core/words\` that makes it; what is filled in is in braces. Written by \`npm run words\`, and held to be current by a test.\n\n${parts.join("\n")}`;
}
