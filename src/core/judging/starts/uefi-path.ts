import type { StartFacts } from "../../computer/facts/profile";
import { ARCHITECTURES, type Architecture, LOADER_PATHS } from "../../kernel/architecture";
import { itemAt } from "../../kernel/item-at";
import { type Choice, chooseLoader, loadProblem } from "../../medium/firmware/uefi/choose";
import type { Loader, StartFile, UefiVolume } from "../../medium/firmware/uefi/view";
import type { Attachment, Views } from "../../medium/inspection/schema";
import type { Allowance, Checker } from "../model/allowance";
import type { Reason } from "../model/reasons";
import type { TraceStep } from "../model/trace";
import { allowedByFirmware, allowedByFirstStage, allowedBySelf, certificatesOf, secureBootLists } from "./allow";
import type { Path } from "./path";

/** What UEFI firmware does with a medium; one architecture after the other where the firmware's is not known. */
export function uefiPath(views: Views, facts: StartFacts, as: Attachment, today: string | null = null): Path {
  const { arch } = facts.firmware;
  if (arch) return uefiPathFor(views, facts, as, arch, today);
  const all = ARCHITECTURES.map((each) => uefiPathFor(views, facts, as, each, today));
  if (all.every((path) => path.verdict === "broken" && !path.blocked))
    return {
      ...itemAt(all, 0),
      reasons: [{ code: "no-loader", arch: "any", path: "\\EFI\\BOOT\\BOOT*.EFI", others: [] }],
    };
  return {
    verdict: "unknown",
    basis: null,
    reasons: [{ code: "fact-missing", fact: "firmware.arch" }],
    trace: itemAt(all, 0).trace,
  };
}

function uefiPathFor(views: Views, facts: StartFacts, as: Attachment, arch: Architecture, today: string | null): Path {
  const lists = facts.firmware.secureBoot;
  const search = (asked: Asked | null) => new Search(views, as, arch, asked, isSetUp(lists)).path();
  const asked: Asked = { certificateOf: certificatesOf(views.certificates), lists: secureBootLists(lists), today };
  switch (lists?.state ?? null) {
    case "off":
    case "absent":
      return search(null);
    case "setup": {
      // UEFI 2.10, 32.3: in set-up mode SecureBoot is 0 and images are not authenticated.
      const path = search(null);
      const note: Reason[] = path.verdict === "holds" ? [{ code: "secure-boot-blocks-nothing" }] : [];
      return { ...path, reasons: [...path.reasons, ...note] };
    }
    case "on":
      return search(asked);
    case null: {
      // It matters only where the two come to different ends.
      const [off, on] = [search(null), search(asked)];
      if (off.verdict === on.verdict && off.verdict !== "unknown") return off.verdict === "holds" ? on : off;
      const open: Reason = { code: "fact-missing", fact: "firmware.secureBoot.state" };
      return { verdict: "unknown", basis: null, reasons: [open], trace: off.trace };
    }
  }
}

/** Whether firmware is in set-up mode; null where neither its state nor its platform key is known. */
function isSetUp(facts: StartFacts["firmware"]["secureBoot"]): boolean | null {
  if (facts?.state === "on") return false;
  if (facts?.state === "setup") return true;
  return facts?.pk ? false : null;
}

/** What Secure Boot goes by: the medium's certificates and the computer's lists. */
interface Asked {
  certificateOf: ReturnType<typeof certificatesOf>;
  lists: ReturnType<typeof secureBootLists>;
  today: string | null;
}

/** One look of firmware through the volumes of a medium. `asked` is null where Secure Boot is not in force. */
class Search {
  constructor(
    private readonly views: Views,
    private readonly as: Attachment,
    private readonly arch: Architecture,
    private readonly asked: Asked | null,
    /** Firmware holds no platform key; null: not known. */
    private readonly isSetUp: boolean | null,
  ) {}

  /**
   * The first loader is taken, and nothing behind it is tried. Where Secure Boot is on and it could not be loaded, the
   * reference firmware comes back once nothing else starts and takes the next that it may (UEFI 2.10, 3.4.2, platform
   * recovery; EDK2, `EfiBootManagerProcessLoadOption`). With Secure Boot off its own shell comes first.
   */
  path(): Path {
    const { notes } = this.views.uefi[this.as];
    const first = this.attempt(null, notes);
    let last = first;
    while (last.goesOn && last.volume) {
      last = this.attempt(last.volume, last.path.trace);
      if (last.path.verdict === "broken") continue;
      const recovered: Reason = { code: "platform-recovery" };
      const { path } = last;
      if (path.verdict !== "holds") return path;
      return { ...path, basis: "reference", reasons: [...path.reasons, recovered], passedOver: true };
    }
    return first.path;
  }

  private attempt(after: UefiVolume | null, before: TraceStep[]): Attempt {
    const { arch, as, views } = this;
    const choice = chooseLoader(views.uefi[as], arch, after);
    const trace = [...before, ...this.traceOf(choice, after)];
    if (!choice.chosen) return { path: this.nothing(choice, trace), volume: null, goesOn: false };
    const { volume, start } = choice.chosen;
    const attempt = (path: Path, goesOn = false): Attempt => ({ path, volume, goesOn });
    const { loader, next } = start;
    const firmware =
      this.asked && allowedByFirmware(loader.signing ?? null, this.asked.certificateOf, this.asked.lists);
    const problem = loadProblem(start, arch);
    const isLoaded = problem?.code !== "loader-damaged" && problem?.code !== "loader-machine";
    if (problem && !isLoaded) return attempt(broken(problem, trace, "reference"), this.asked !== null);
    if (firmware?.allowed === false) {
      const why: Reason = { code: "loader-not-allowed", file: loader.file, by: "firmware", refusal: firmware.refusal };
      const isStrict = firmware.refusal.why !== "curve-key" && firmware.refusal.why !== "table-damaged";
      const path = broken(why, trace, isStrict ? "standard" : "reference");
      return attempt(problem ? path : { ...path, blocked: true }, true);
    }
    if (problem?.code === "fallback-first") return attempt(unknown(problem, trace));
    if (problem) return attempt(broken(problem, trace, "reference"));
    if (next?.role === "fixed" && next.loader && this.isSetUp !== false) {
      const asks: Reason = { code: "next-asks", file: loader.file, next: next.loader.file };
      return attempt(unknown(asks, trace));
    }
    trace.push({ code: "loader-runs", file: loader.file, next: next?.loader?.file ?? null });
    const { leniencies } = volume;
    const starts: Reason[] = [
      { code: "uefi-starts", file: loader.file, place: volume.place, arch },
      ...leniencies.map((leniency) => ({ code: "lenient", leniency }) as const),
    ];
    const basis = leniencies.length > 0 ? "reference" : "standard";
    const path: Path = { verdict: "holds", basis, reasons: starts, trace };
    return attempt(firmware && this.asked ? secured(path, start, firmware, this.asked) : path);
  }

  /** What the firmware finds in each volume until it takes a loader. */
  private traceOf({ skipped, chosen }: Choice, after: UefiVolume | null): TraceStep[] {
    const { volumes } = this.views.uefi[this.as];
    const path = LOADER_PATHS[this.arch];
    const trace: TraceStep[] = [];
    for (const volume of volumes.slice(after ? volumes.indexOf(after) + 1 : 0)) {
      const { place, filesystem } = volume;
      const passed = skipped.find((each) => each.place === place);
      if (passed) trace.push({ code: "loader-absent", place, filesystem, file: passed.file, why: passed.why });
      else if (volume === chosen?.volume) {
        trace.push({ code: "loader-taken", place, filesystem, file: chosen.start.loader.file });
        break;
      } else trace.push({ code: "no-file-at", place, filesystem, path });
    }
    return chosen ? trace : [...trace, { code: "nothing-left" }];
  }

  private nothing({ skipped }: Choice, trace: TraceStep[]): Path {
    const { arch } = this;
    const view = this.views.uefi[this.as];
    const others = ARCHITECTURES.filter((each) => each !== arch && chooseLoader(view, each).chosen);
    const lenient =
      skipped.length > 0 || view.notes.some((note) => note.code === "mbr-void" || note.code === "mbr-unsigned");
    const why: Reason = { code: "no-loader", arch, path: LOADER_PATHS[arch], others };
    return { verdict: "broken", basis: lenient ? "reference" : "standard", reasons: [why], trace };
  }
}

/** What came of one loader; `goesOn` where the firmware may come back for the next. */
interface Attempt {
  path: Path;
  volume: UefiVolume | null;
  goesOn: boolean;
}

function broken(why: Reason, trace: TraceStep[], basis: Path["basis"]): Path {
  return { verdict: "broken", basis, reasons: [why], trace: [...trace, { code: "because", reason: why }] };
}

function unknown(why: Reason, trace: TraceStep[]): Path {
  return { verdict: "unknown", basis: null, reasons: [why], trace: [...trace, { code: "because", reason: why }] };
}

/** A sound path under Secure Boot: each stage is asked for in turn, by whoever starts it. */
function secured(
  holds: Path,
  { loader, next }: StartFile,
  firmware: Allowance,
  { certificateOf, lists, today }: Asked,
): Path {
  const stages: { file: string; by: Checker; allowance: Allowance | null }[] = [
    { file: loader.file, by: "firmware", allowance: firmware },
    { file: loader.file, by: "itself", allowance: allowedBySelf(loader, lists.sbatLevel) },
  ];
  // Each stage is asked for by the last first stage before it; where there is none, by the firmware.
  let first: Loader | null = loader.firstStage || loader.kind === "first-stage" ? loader : null;
  for (
    let stage = next;
    stage?.loader && stage.role !== "module" && stage.role !== "archive";
    stage = stage.next ?? null
  ) {
    const { loader: program } = stage;
    const isFirst = first !== null || stage.role === "second-stage";
    const allowance = isFirst
      ? allowedByFirstStage((first ?? loader).firstStage ?? null, program, certificateOf, lists)
      : allowedByFirmware(program.signing ?? null, certificateOf, lists);
    stages.push({ file: program.file, by: isFirst ? "first-stage" : "firmware", allowance });
    if (program.firstStage) first = program;
  }
  const told = stages.flatMap(({ allowance, ...stage }) => (allowance ? [{ ...stage, allowance }] : []));
  const reasons = told.map(({ file, by, allowance }) => allowanceReason(file, by, allowance));
  const before = holds.trace.slice(0, -1);
  const steps = reasons.map((reason): TraceStep => ({ code: "because", reason }));
  const refusedAt = told.findIndex(({ allowance }) => allowance.allowed === false);
  if (refusedAt >= 0)
    return {
      verdict: "broken",
      basis: "standard",
      blocked: true,
      reasons: reasons.slice(refusedAt, refusedAt + 1),
      trace: [...before, ...steps.slice(0, refusedAt + 1)],
    };
  const trace = [...before, ...steps, ...holds.trace.slice(-1)];
  const open = told.findIndex(({ allowance }) => allowance.allowed === null);
  if (open >= 0) return { verdict: "unknown", basis: null, reasons: reasons.slice(open, open + 1), trace };
  const lenient = told.some(
    ({ allowance }) => allowance.allowed === true && allowance.by === "certificate" && allowance.leniency,
  );
  const ended = told.flatMap(({ allowance }) => endedOf(allowance, today));
  const all = [...holds.reasons, ...reasons, ...ended];
  return { ...holds, basis: lenient ? "reference" : holds.basis, reasons: all, trace };
}

/** A caution where the days of the certificate that it is allowed by are over: firmware does not look at dates. */
function endedOf(allowance: Allowance, today: string | null): Reason[] {
  if (today === null || allowance.allowed !== true || allowance.by !== "certificate") return [];
  const on = allowance.notAfter.slice(0, 10);
  return on < today ? [{ code: "signer-ended", signer: allowance.signer, on }] : [];
}

function allowanceReason(file: string, by: Checker, allowance: Allowance): Reason {
  if (allowance.allowed === null) return { code: "loader-not-decided", file, by, undecided: allowance.undecided };
  if (!allowance.allowed) return { code: "loader-not-allowed", file, by, refusal: allowance.refusal };
  const { allowed: _yes, ...how } = allowance;
  return { code: "loader-allowed", file, by, how };
}
