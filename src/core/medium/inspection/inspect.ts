import { type ElToritoCatalogue, elToritoPlatformName, readElTorito } from "../../formats/el-torito";
import { ISO_SECTOR_BYTES, type IsoDescriptors, readIsoDescriptors } from "../../formats/iso9660";
import { isoLabel, type RecognisedVolume, recogniseVolume } from "../../formats/recognise";
import { SigningReader } from "../../formats/signing-reader";
import { UdfTree } from "../../formats/udf";
import { compressionOf } from "../../kernel/decompress";
import { hasText } from "../../kernel/fields";
import { type ByteSource, CachedSource, PaddedSource, readExactly } from "../../kernel/source";
import { type SurveyOptions, survey, surveyBareFile } from "../contents/survey";
import { type DriverSource, entriesOf } from "../drivers/driver-set";
import type { Finding } from "../findings/findings";
import { followDisc, followStick } from "../firmware/bios/follow";
import { brokenStores } from "../firmware/boot-files";
import { enumerateUefi } from "../firmware/uefi/enumerate";
import { StartFileReader } from "../firmware/uefi/loader";
import { readTables, type TablesReading } from "../tables/tables";
import { type Volume, volumesOf } from "../volumes/volumes";
import { INSPECTION_SCHEMA, type Inspection } from "./schema";
import { startPathsOf } from "./start-paths";

export interface InspectOptions {
  /** The file's name as shown; no path. */
  name: string;
  /** Lower-case hex digest of the whole, where the caller has computed it. */
  sha256?: string | null;
  /** `quick` (the default) reads a few megabytes; `deep` unpacks what has to be unpacked to see its drivers. */
  depth?: SurveyOptions["depth"];
  /** Of the medium's sectors as a stick: 512 where nothing else is known. */
  sectorBytes?: 512 | 4096;
  /** What a deep look is at; answering false ends it with what it has. */
  onStep?: NonNullable<SurveyOptions["onStep"]>;
}

export interface InspectResult {
  inspection: Inspection;
  /** The lists of drivers that `contents.drivers` counts. */
  drivers: DriverSource[];
  /** Bytes asked of the source, all reads together. */
  bytesRead: number;
}

/**
 * Reads what is on a medium: tables, volumes, start paths, and what firmware makes of it. Never throws at bad
 * bytes; `ReadFailed` only where the file or device itself cannot be read.
 */
export async function inspect(medium: ByteSource, options: InspectOptions): Promise<InspectResult> {
  const source = new CachedSource(new PaddedSource(medium, 512));
  const facts: Finding[] = [];
  const { sectorBytes = 512 } = options;
  const head = (await readExactly(source, 0, 8)) ?? new Uint8Array(0);
  const descriptors = await readIsoDescriptors(source);
  const tables = await readTables(source, descriptors?.primary !== null && descriptors !== null, sectorBytes);
  // Where there is a table, the first sector is its own and not a file system's.
  const whole = tables.tables.length === 0 ? await recogniseVolume(source) : null;
  const catalogue = await readCatalogue(source, descriptors, facts);
  // Both views read the same loaders: each is parsed once, and its certificates are told once.
  const signings = new SigningReader(source);
  const startFiles = new StartFileReader(signings);
  const views: Inspection["views"] = {
    uefi: {
      usb: await enumerateUefi(source, sectorBytes, startFiles),
      optical: await enumerateUefi(source, ISO_SECTOR_BYTES, startFiles),
    },
    bios: { usb: await followStick(source, sectorBytes), optical: await followDisc(source) },
    certificates: startFiles.certificates,
  };
  const container = containerOf(head, tables, descriptors, whole);
  const volumes = container === "wim" ? [] : await volumesOf(source, [], sectorBytes);
  const look: SurveyOptions = {
    depth: options.depth ?? "quick",
    signings,
    ...(options.onStep ? { onStep: options.onStep } : {}),
  };
  const found = container === "wim" ? await surveyBareFile(medium, options.name, look) : await survey(volumes, look);
  noteWhole(medium, head, container, descriptors, views, facts);
  await noteStores(volumes, facts);
  const inspection: Inspection = {
    schema: INSPECTION_SCHEMA,
    file: { name: options.name, bytes: medium.sizeBytes, sha256: options.sha256 ?? null },
    sectorBytes,
    container,
    tables: tables.tables,
    partitions: tables.partitions,
    whole: whole?.kind ? { filesystem: whole.kind, label: whole.label } : null,
    catalogue: (catalogue?.entries ?? []).map((entry) => ({
      index: entry.index,
      platform: entry.platform,
      platformName: elToritoPlatformName(entry.platform),
      startable: entry.startable,
      emulation: entry.emulation,
      start: entry.startSector * ISO_SECTOR_BYTES,
    })),
    contents: {
      label: await labelOf(source, descriptors, whole, tables),
      made: descriptors?.primary?.created ?? null,
      info: found.info,
      systems: found.systems,
      wims: found.wims,
      environments: found.environments,
      kernels: found.kernels,
      live: found.live,
      drivers: countDrivers(found.drivers),
      unread: found.unread,
    },
    programs: found.programs,
    findings: [...tables.findings, ...facts],
    views,
  };
  return { inspection, drivers: found.drivers, bytesRead: source.bytesRead };
}

export function countDrivers(sources: DriverSource[]): Inspection["contents"]["drivers"] {
  if (sources.length === 0) return null;
  const modules = sources.filter((each) => each.kind !== "inf");
  return {
    kernel: modules.find((each) => each.kernel !== null)?.kernel ?? null,
    entries: entriesOf(sources),
    modules: new Set(modules.flatMap((each) => Object.keys(each.drivers))).size,
    infs: new Set(sources.filter((each) => each.kind === "inf").map((each) => each.path)).size,
  };
}

function containerOf(
  head: Uint8Array,
  tables: TablesReading,
  iso: IsoDescriptors | null,
  whole: RecognisedVolume | null,
): Inspection["container"] {
  // Archives first: their bytes are no disk, whatever a table in the first sector of their content says.
  if (hasText(head, 0, "MSWIM\0\0\0") || hasText(head, 0, "WLPWM\0\0\0")) return "wim";
  if (iso?.primary) return iso.udf ? "iso9660+udf" : "iso9660";
  if (iso?.udf) return "udf";
  if (tables.tables.length > 0) return "partitioned";
  return whole?.kind ? "bare-filesystem" : "unknown";
}

async function readCatalogue(
  source: ByteSource,
  iso: IsoDescriptors | null,
  facts: Finding[],
): Promise<ElToritoCatalogue | null> {
  const record = iso?.bootRecords[0];
  if (!record) return null;
  const catalogue = await readElTorito(source, record.catalogSector);
  if (!catalogue) facts.push({ code: "catalogue-outside", sector: record.catalogSector });
  else {
    if (!catalogue.checksumRight) facts.push({ code: "catalogue-checksum" });
    if (!catalogue.keyRight) facts.push({ code: "catalogue-key" });
    if (catalogue.findings.length > 0) facts.push({ code: "catalogue-sections" });
  }
  return catalogue;
}

function noteWhole(
  medium: ByteSource,
  head: Uint8Array,
  container: Inspection["container"],
  iso: IsoDescriptors | null,
  views: Inspection["views"],
  facts: Finding[],
): void {
  if (medium.sizeBytes < 512) facts.push({ code: "medium-empty" });
  else if (container === "unknown") {
    const compression = compressionOf(head);
    facts.push(compression ? { code: "compressed", compression } : { code: "nothing-recognised" });
  }
  const over = medium.sizeBytes % 512;
  if (over > 0 && medium.sizeBytes > 512) facts.push({ code: "odd-size", overBytes: over });
  if (container === "wim") {
    facts.push({ code: "not-a-start-medium" });
    return;
  }
  if (iso?.primary) {
    const wantedBytes = iso.primary.volumeBlocks * iso.primary.blockBytes;
    if (wantedBytes > medium.sizeBytes)
      facts.push({ code: "iso-cut-short", wantedBytes, thereBytes: medium.sizeBytes });
    // A disc that starts under BIOS and would not as a stick: it was not made for being written to one.
    if (views.bios.optical.outcome === "starts" && views.bios.usb.outcome === "stops")
      facts.push({ code: "iso-not-hybrid" });
  }
  if (container !== "unknown" && !startPathsOf({ views }).some(({ problem }) => problem === null))
    facts.push({ code: "nothing-starts" });
}

/** Boot configuration stores that lead nowhere; one that two trees of a disc show is told once. */
async function noteStores(volumes: readonly Volume[], facts: Finding[]): Promise<void> {
  const told = new Set<string>();
  for (const { tree } of volumes)
    for (const { store, file } of await brokenStores(tree)) {
      const key = JSON.stringify([store, file]);
      if (told.has(key)) continue;
      told.add(key);
      facts.push(
        file === null ? { code: "boot-store-damaged", store } : { code: "boot-store-names-missing", store, file },
      );
    }
}

async function labelOf(
  source: ByteSource,
  iso: IsoDescriptors | null,
  whole: RecognisedVolume | null,
  tables: TablesReading,
): Promise<string | null> {
  const label = iso && isoLabel(iso);
  if (label) return label;
  if (iso?.udf) return (await UdfTree.open(source, ISO_SECTOR_BYTES))?.label ?? null;
  return whole?.label ?? tables.partitions.find((partition) => partition.filesystem && partition.label)?.label ?? null;
}
