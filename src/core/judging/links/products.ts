import { plainName } from "./versions";

/** A system as people mean it when they say that two are the same: the product, its number, and its edition. */
export interface Product {
  /** Without maker, number and edition: "windows", "gannet desk". */
  name: string;
  /** The number that is sold by: "11" of "Windows 11 Pro"; null where neither name nor version tells. */
  number: string | null;
  edition: string | null;
}

interface Told {
  family: string | null;
  name: string;
  version: string | null;
  build: number | null;
  edition: string | null;
}

/** Makers and marks that a name is written with or without. */
const MAKERS = /\b(microsoft|canonical|red hat)\b|\((?:r|tm)\)|[®™]/giu;
/** A distribution is called with or without what it is made of: "Tern GNU/Linux", "Tern Linux", "Tern". */
const MADE_OF = /(?<=\S\s+)(?:gnu\/)?linux\b/giu;
/** Words of editions, the longer first; as setup, licences and tools name the same. Microsoft, "Windows edition IDs". */
const EDITIONS: [RegExp, string][] = [
  [/\b(home|core) single language\b|\bcoresinglelanguage\b/, "home single language"],
  [/\b(professional|pro) for workstations\b|\bprofessionalworkstation\b/, "pro for workstations"],
  [/\b(professional|pro) education\b|\bprofessionaleducation\b/, "pro education"],
  [/\bprofessional n\b|\bpro n\b|\bprofessionaln\b/, "pro n"],
  [/\bhome n\b|\bcore ?n\b/, "home n"],
  [/\bcountry specific\b|\bcorecountryspecific\b/, "home china"],
  [/\beducation n\b|\beducationn\b/, "education n"],
  [/\bprofessional\b|\bpro\b/, "pro"],
  [/\biot enterprise\b|\biotenterprise\b/, "iot enterprise"],
  [/\b(enterprise )?(ltsc|ltsb)\b|\benterprises\b/, "enterprise ltsc"],
  [/\benterprise n\b|\benterprisen\b/, "enterprise n"],
  [/\benterprise\b/, "enterprise"],
  [/\beducation\b/, "education"],
  [/\bhome\b|\bcore\b/, "home"],
  [/\bdatacenter\b|\bserverdatacenter\b/, "datacenter"],
  [/\bessentials\b|\bserversolution\b/, "essentials"],
  [/\bstandard\b|\bserverstandard\b/, "standard"],
];
/** What products call themselves within, and are sold as. Microsoft, "Operating System Version". */
const SOLD_AS: Record<string, string> = { "6.0": "vista", "6.1": "7", "6.2": "8", "6.3": "8.1" };
/** From this build on a system that calls itself 10.0 is sold as 11. Microsoft, "Windows 11 release information". */
const FIRST_BUILD_OF_11 = 22_000;

/** Edition as it is meant: "Professional", "Pro" and "Windows 11 Pro" are one. */
function editionOf(text: string | null): string | null {
  if (text === null || text.trim() === "") return null;
  const plain = plainName(text);
  return EDITIONS.find(([pattern]) => pattern.test(plain))?.[1] ?? null;
}

/** The build that a version carries as its third number: "10.0.26100.1". */
export function buildOf({ version, build }: Pick<Told, "version" | "build">): number | null {
  const third = /^10\.0\.(\d{4,6})(?:\.|$)/.exec(version?.trim() ?? "")?.[1];
  return build ?? (third === undefined ? null : Number(third));
}

/** What a system is, from its name, version, build and edition. */
export function productOf(told: Told): Product {
  const plain = plainName(told.name.replace(MAKERS, " ").trim().replace(MADE_OF, " "));
  const isWindows = told.family !== null && plainName(told.family) === "windows";
  const edition =
    (told.edition === null ? null : (editionOf(told.edition) ?? plainName(told.edition))) ?? editionOf(plain);
  const number = /(?:^|\s)(8\.1|\d+|vista)(?:[.\s]|$)/.exec(plain)?.[1] ?? null;
  const bare = EDITIONS.reduce((name, [pattern]) => name.replace(pattern, " "), plain)
    .replace(/\s+(\d[\w.]*|\([^)]*\)|vista\b).*$/, "")
    .trim();
  return { name: bare, number: isWindows ? numberOfWindows(number, told) : number, edition };
}

/** Versions up to 10.0 are those of the kernel, which the product's number went ahead of. */
const KERNELS_MOST = 10;

function numberOfWindows(named: string | null, told: Told): string | null {
  const version = told.version?.trim() ?? "";
  // A feature update alone ("23H2") does not say of which product.
  const major = /^\d+h\d$/i.test(version) ? null : (/^(\d+)/.exec(version)?.[1] ?? null);
  if (major !== null && Number(major) > KERNELS_MOST) return major;
  if (named !== null) return named;
  const within = SOLD_AS[/^\d+\.\d+/.exec(version)?.[0] ?? ""];
  if (within !== undefined) return within;
  const build = buildOf(told);
  if (major === "10" && build !== null) return build >= FIRST_BUILD_OF_11 ? "11" : "10";
  return major;
}
