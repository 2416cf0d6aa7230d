/** A path of Creel's own to go on to, out of an address; the first page for anything else, which may lead elsewhere. */
export function nextPath(asked: string | string[] | undefined): string {
  if (typeof asked !== "string") return "/";
  // A browser reads "//x" and "/\x" as another host (WHATWG URL, "special authority slashes state").
  return /^\/(?![/\\])[^\\\s]*$/.test(asked) ? asked : "/";
}
