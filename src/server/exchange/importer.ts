import { eq, inArray, sql } from "drizzle-orm";
import { affectedBy } from "@/core/computer/affects";
import { type ComputerRecord, emptyRecord } from "@/core/computer/exchange/columns";
import { FAULTS_MAX } from "@/core/computer/exchange/table";
import {
  editedProvenance,
  type FactSource,
  NO_PROVENANCE,
  type Provenance,
  provenanceFor,
  sameFact,
  sourceOf,
} from "@/core/computer/facts/merge";
import { assemble, flatten } from "@/core/computer/facts/paths";
import type { Facts } from "@/core/computer/facts/schema";
import type { SecureBootSummary } from "@/core/computer/secure-boot/lists";
import { equalJson } from "@/core/kernel/equal-json";
import type { ImportFault, RowRefusal } from "@/core/problems/problem";
import type { Queries } from "../db/client";
import type { ComputerId, SiteId } from "../db/ids";
import { computerFacts, computers } from "../db/schema";
import { type ComputerInput, computerInputSchema, snapshot } from "../inventory/computers";
import { difference } from "../inventory/events";
import { factsOfStored } from "../inventory/list-store";
import type { ComputerWrite } from "../inventory/write-computers";
import { checked, type Result } from "../problems";
import type { ImportOptions, ImportReport } from "./options";
import type { SourceRow } from "./source";

const PREVIEW_ROWS = 12;
const TOUCHED_TAGS = 6;
const NO_LISTS: SecureBootSummary = {
  state: null,
  pk: null,
  kek: null,
  db: null,
  dbx: null,
  sbatLevel: null,
  signers: null,
};
interface Known {
  id: ComputerId;
  version: number;
  siteId: SiteId | null;
  retiredAt: Date | null;
  record: ComputerRecord;
}

interface Recorded {
  byTag: Map<string, Known>;
  bySerial: Map<string, Known[]>;
}

/** What is recorded of the computers that some rows speak of: by tag, else by serial. */
async function knownOf(
  queries: Queries,
  rows: SourceRow[],
  siteNames: Map<number, string>,
  lock: boolean,
): Promise<Recorded> {
  const tags = rows.map((row) => row.tag).filter(Boolean);
  const serials = rows.map((row) => row.serial).filter((serial) => serial !== null);
  const byTag = new Map<string, Known>();
  const bySerial = new Map<string, Known[]>();
  if (tags.length + serials.length === 0) return { byTag, bySerial };
  const query = queries
    .select({ row: computers, facts: computerFacts.facts, provenance: computerFacts.provenance })
    .from(computers)
    .innerJoin(computerFacts, eq(computerFacts.computerId, computers.id))
    .where(
      sql`${tags.length > 0 ? inArray(computers.tag, tags) : sql`FALSE`} OR ${serials.length > 0 ? inArray(computers.serial, serials) : sql`FALSE`}`,
    );
  const found = await (lock ? query.for("update") : query);
  const whole = await factsOfStored(
    queries,
    found.map((each) => each.facts),
  );
  for (const [index, { row, provenance }] of found.entries()) {
    const { id, version, siteId, retiredAt, tag, name, note } = row;
    const record: ComputerRecord = {
      tag,
      name,
      site: siteId === null ? null : (siteNames.get(siteId) ?? null),
      note,
      retired: retiredAt?.toISOString() ?? null,
      facts: whole[index] as Facts,
      provenance,
    };
    const recorded = { id, version, siteId, retiredAt, record };
    byTag.set(keyOf(tag), recorded);
    if (row.serial) bySerial.set(keyOf(row.serial), [...(bySerial.get(keyOf(row.serial)) ?? []), recorded]);
  }
  return { byTag, bySerial };
}

/** As the database compares names: without regard to case and marks. */
/** Says what keeps a row from being taken in, and of which column. */
type Refuse = (column: string | null, problem: RowRefusal) => null;

export function keyOf(text: string): string {
  return text.normalize("NFD").replace(/\p{M}/gu, "").toLowerCase().trimEnd();
}

/** Works through a file's rows and gives what each would write. */
export class Importer {
  readonly report: ImportReport = {
    rows: 0,
    added: 0,
    changed: 0,
    same: 0,
    keptByHand: 0,
    newSites: [],
    touched: [],
    faults: [],
    faultsTotal: 0,
    preview: [],
  };
  private readonly seenTags = new Map<string, number>();
  private readonly seenSerials = new Map<string, number>();

  constructor(
    private readonly options: ImportOptions,
    private readonly source: FactSource,
    /** Names of places by id, and ids by name as the database compares them. */
    private readonly siteNames: Map<number, string>,
    private readonly siteIds: Map<string, number>,
  ) {}

  fault(fault: ImportFault): void {
    this.report.faultsTotal++;
    if (this.report.faults.length < FAULTS_MAX) this.report.faults.push(fault);
  }

  /** What is recorded of the computers that some rows speak of; `lock`: held until the end of the transaction. */
  recorded(queries: Queries, rows: SourceRow[], lock: boolean): Promise<Recorded> {
    return knownOf(queries, rows, this.siteNames, lock);
  }

  /** What a row comes to: one write, or none where it says nothing new or is at fault. */
  compared(row: SourceRow, { byTag, bySerial }: Recorded): ComputerWrite[] {
    const write = this.row(row, byTag, bySerial);
    return write ? [write] : [];
  }

  private row(row: SourceRow, byTag: Map<string, Known>, bySerial: Map<string, Known[]>): ComputerWrite | null {
    this.report.rows++;
    const refuse: Refuse = (column, problem) => {
      this.fault({ row: row.row, column, problem });
      return null;
    };
    const sameSerial = row.serial ? (bySerial.get(keyOf(row.serial)) ?? []) : [];
    let recorded = row.tag ? byTag.get(keyOf(row.tag)) : undefined;
    if (!row.tag) {
      if (sameSerial.length > 1)
        return refuse("serial", { code: "serial-of-several", serial: row.serial ?? "", count: sameSerial.length });
      recorded = sameSerial[0];
    } else if (!recorded && sameSerial[0])
      return refuse("serial", {
        ...{ code: "serial-of-another", serial: row.serial ?? "" },
        ...{ other: sameSerial[0].record.tag, tag: row.tag },
      });
    const record = structuredClone(recorded?.record ?? emptyRecord(row.tag));
    // What the table says nothing of keeps its marks; marks that the table itself carries are taken with its facts.
    const marks = record.provenance ?? NO_PROVENANCE;
    record.provenance = null;
    const faults = row.apply(record);
    const told = record.facts;
    for (const fault of faults) this.fault(fault);
    if (faults.length > 0) return null;
    if (!record.tag) return refuse("tag", { code: "tag-missing" });
    if (!this.isFirst(row, record, refuse)) return null;
    const siteId = this.siteOf(record, refuse);
    if (siteId === undefined) return null;
    const provenance = this.marked(recorded?.record.facts ?? null, marks, record);
    const isChecked = row.isChecked === true && record.facts === told;
    return this.write(row, recorded, { record, isChecked }, siteId, provenance, refuse);
  }

  private isFirst(row: SourceRow, record: ComputerRecord, refuse: Refuse): boolean {
    const earlier = this.seenTags.get(keyOf(record.tag));
    if (earlier !== undefined) {
      refuse("tag", { code: "tag-twice", tag: record.tag, row: earlier });
      return false;
    }
    this.seenTags.set(keyOf(record.tag), row.row);
    if (row.serial) {
      const before = this.seenSerials.get(keyOf(row.serial));
      if (before !== undefined && !row.tag) {
        refuse("serial", { code: "serial-twice", serial: row.serial, row: before });
        return false;
      }
      this.seenSerials.set(keyOf(row.serial), row.row);
    }
    return true;
  }

  /** The place's id; a negative one stands for a place that is to be added. Undefined: a fault. */
  private siteOf(record: ComputerRecord, refuse: Refuse): number | null | undefined {
    if (!record.site) return null;
    const id = this.siteIds.get(keyOf(record.site));
    if (id !== undefined) return id;
    if (!this.options.addSites) {
      refuse("site", { code: "place-unknown", place: record.site });
      return undefined;
    }
    const standIn = -this.report.newSites.push(record.site);
    this.siteIds.set(keyOf(record.site), standIn);
    return standIn;
  }

  /** Where each fact is from now; facts set by hand are kept where that was not chosen otherwise. */
  private marked(before: Facts | null, marks: Provenance, record: ComputerRecord): Provenance {
    if (before && !this.options.overHand) this.keepByHand(before, marks, record);
    const told = record.provenance;
    if (!told) return editedProvenance(before, marks, record.facts, this.source);
    // The file says itself where its facts are from: what it changes, or adds to an unmarked computer, is as it says.
    const paths = flatten(record.facts);
    const sources = new Map<string, FactSource>();
    for (const path of paths.keys()) {
      const source = sourceOf(told, path) ?? sourceOf(marks, path);
      if (source) sources.set(path, source);
    }
    return provenanceFor(paths, sources);
  }

  private keepByHand(before: Facts, marks: Provenance, record: ComputerRecord): void {
    const [was, is] = [flatten(before), flatten(record.facts)];
    let kept = 0;
    for (const [path, value] of was) {
      if (sourceOf(marks, path)?.kind !== "hand") continue;
      if (sameFact(is.get(path), value)) continue;
      is.set(path, value);
      kept++;
    }
    if (kept === 0) return;
    this.report.keptByHand += kept;
    record.facts = assemble(is).facts;
  }

  /** Lists of certificates are left to the computer's own page: taking them apart here would take long. */
  private touch(tag: string, before: Facts, after: Facts): void {
    for (const affected of affectedBy({ facts: before, lists: NO_LISTS }, { facts: after, lists: NO_LISTS })) {
      const kind = this.report.touched.find((each) => each.affected.code === affected.code);
      if (!kind) this.report.touched.push({ affected, count: 1, tags: [tag] });
      else {
        kind.count++;
        if (kind.tags.length < TOUCHED_TAGS) kind.tags.push(tag);
      }
    }
  }

  private write(
    row: SourceRow,
    known: Known | undefined,
    { record, isChecked }: { record: ComputerRecord; isChecked: boolean },
    siteId: SiteId | null,
    provenance: Provenance,
    refuse: Refuse,
  ): ComputerWrite | null {
    const { tag, name, note, facts } = record;
    const parsed = isChecked
      ? withFacts(checked(identitySchema, { tag, name, siteId, note }), facts)
      : checked(computerInputSchema, { tag, name, siteId, note, facts });
    if (!parsed.ok)
      return refuse(null, {
        code: "not-taken",
        fields: parsed.problem.code === "invalid" ? parsed.problem.fields : {},
      });
    const input = withTag(parsed.value);
    const retiredAt = record.retired === null ? null : new Date(record.retired);
    const before =
      known && snapshot({ ...known.record, siteId: known.siteId, facts: known.record.facts }, known.retiredAt);
    const after = snapshot(input, retiredAt);
    const change = difference(before ?? {}, after);
    const action = known ? (change ? "change" : "same") : "add";
    if (this.report.preview.length < PREVIEW_ROWS && (action !== "same" || row.row < PREVIEW_ROWS))
      this.report.preview.push({
        row: row.row,
        tag,
        action,
        changes: Object.keys(change?.after ?? {})
          .filter((field) => change?.after[field] !== null || change?.before[field] !== null)
          .map((field) => ({
            field,
            before: field === "siteId" ? (known?.record.site ?? null) : change?.before[field],
            after: field === "siteId" ? record.site : change?.after[field],
          })),
      });
    if (action === "same") {
      this.report.same++;
      return null;
    }
    this.report[action === "add" ? "added" : "changed"]++;
    if (known) this.touch(tag, known.record.facts, input.facts);
    return {
      id: known?.id ?? null,
      version: (known?.version ?? 0) + 1,
      ...input,
      retiredAt,
      provenance,
      sameProjections: known !== undefined && sameLists(known.record.facts, input.facts),
      event: {
        action: "imported",
        before: known ? (change?.before ?? {}) : null,
        after: known ? (change?.after ?? {}) : after,
        note: `from ${this.source.name}`,
      },
    };
  }
}

/** What is checked of a computer whose facts passed the schema before. */
const identitySchema = computerInputSchema.omit({ facts: true });

function withFacts(parsed: Result<Omit<ComputerInput, "facts">>, facts: Facts): Result<ComputerInput> {
  return parsed.ok ? { ok: true, value: { ...parsed.value, facts } } : parsed;
}

/** Whether disks and who may sign are as before. */
function sameLists(before: Facts, after: Facts): boolean {
  const [was, is] = [before.firmware.secureBoot, after.firmware.secureBoot];
  const sameIdentity =
    before.computer.uuid === after.computer.uuid && equalJson(before.computer.addresses, after.computer.addresses);
  return sameIdentity && equalJson(before.disks, after.disks) && was?.db === is?.db && was?.dbx === is?.dbx;
}

function withTag(input: ComputerInput): ComputerInput {
  return { ...input, facts: { ...input.facts, computer: { ...input.facts.computer, tag: input.tag } } };
}
