import type { Change, Link, Verdict } from "../chain/schema";
import type { StartFacts } from "../facts/profile";
import type { Attachment, Views } from "../inspection/schema";
import { absentText, biosStepText, fileSystemText, uefiNoteText } from "../words/firmware";
import { type Reason, reason } from "../words/reasons";
import type { BiosStep, StartCode } from "./bios/view";
import { placeText } from "./place";
import { chooseLoader, loadProblem } from "./uefi/choose";
import { ARCHITECTURES, LOADER_PATHS } from "./uefi/view";

type Arch = (typeof ARCHITECTURES)[number];

/** What one way of starting comes to, before the computer's settings about ports are looked at. */
interface Path {
  verdict: Exclude<Verdict, "holds-after-change">;
  basis: Link["basis"];
  reasons: Reason[];
  trace: string[];
}

/**
 * The Starts link: what this computer's firmware, as its facts stand, does with a medium attached as a stick or a
 * disc. Secure Boot is decided only where it cannot matter: a path that is missing is broken in any case.
 */
export function judgeStart(views: Views, facts: StartFacts, as: Attachment): Link {
  const { firmware } = facts;
  if (firmware.kind === null) return withoutKind(views, facts, as);
  const asBios = firmware.kind === "bios" || firmware.legacyMode === "on";
  const path = asBios ? biosPath(views, as) : uefiPath(views, facts, as);
  const reasons =
    firmware.kind === "uefi" && asBios ? [reason({ code: "legacy-mode-on" }), ...path.reasons] : path.reasons;
  const link: Link = { ...path, reasons, changes: [] };
  if (path.verdict === "broken") return mendBroken(link, views, facts, as, asBios);
  return withPorts(link, facts, as);
}

/** Without the kind of firmware only what holds for every kind can be said. */
function withoutKind(views: Views, facts: StartFacts, as: Attachment): Link {
  const paths = [biosPath(views, as), uefiPath(views, facts, as)];
  if (paths.every((path) => path.verdict === "broken")) {
    return {
      verdict: "broken",
      basis: "standard",
      changes: [],
      reasons: paths.flatMap((path) => path.reasons),
      trace: paths.flatMap((path) => path.trace),
    };
  }
  return {
    verdict: "unknown",
    basis: null,
    changes: [],
    reasons: [reason({ code: "fact-missing", fact: "firmware.kind" })],
    trace: [],
  };
}

function uefiPath(views: Views, facts: StartFacts, as: Attachment): Path {
  const { arch } = facts.firmware;
  if (arch) return uefiPathFor(views, facts, as, arch);
  const all = ARCHITECTURES.map((each) => uefiPathFor(views, facts, as, each));
  if (all.every((path) => path.verdict === "broken"))
    return {
      ...(all[0] as Path),
      reasons: [reason({ code: "no-loader", arch: "any", path: "\\EFI\\BOOT\\BOOT*.EFI", others: [] })],
    };
  return {
    verdict: "unknown",
    basis: null,
    reasons: [reason({ code: "fact-missing", fact: "firmware.arch" })],
    trace: (all[0] as Path).trace,
  };
}

function uefiPathFor(views: Views, facts: StartFacts, as: Attachment, arch: Arch): Path {
  const view = views.uefi[as];
  const path = LOADER_PATHS[arch];
  const { chosen, skipped } = chooseLoader(view, arch);
  const trace = view.notes.map(uefiNoteText);
  for (const volume of view.volumes) {
    const where = `${placeText(volume.place)} (${fileSystemText(volume.filesystem)})`;
    const passed = skipped.find((each) => each.place === volume.place);
    if (passed) trace.push(`${where}: ${passed.file} counts as absent, ${absentText(passed.why)}`);
    else if (volume === chosen?.volume) {
      trace.push(`${where}: ${chosen.start.loader.file} is taken`);
      break;
    } else trace.push(`${where}: no ${path}`);
  }
  if (!chosen) {
    const others = ARCHITECTURES.filter((each) => each !== arch && chooseLoader(view, each).chosen);
    const lenient =
      skipped.length > 0 || view.notes.some((note) => note.code === "mbr-void" || note.code === "mbr-unsigned");
    trace.push("nothing is left to try");
    return {
      verdict: "broken",
      basis: lenient ? "reference" : "standard",
      reasons: [reason({ code: "no-loader", arch, path, others })],
      trace,
    };
  }
  const { loader, next } = chosen.start;
  const problem = loadProblem(chosen.start, arch);
  if (problem) {
    const verdict = problem.code === "fallback-first" ? "unknown" : "broken";
    const why = reason(problem);
    trace.push(why.text);
    return { verdict, basis: verdict === "broken" ? "reference" : null, reasons: [why], trace };
  }
  trace.push(next?.loader ? `${loader.file} runs and starts ${next.loader.file}` : `${loader.file} runs`);
  const { leniencies } = chosen.volume;
  const starts = [
    reason({ code: "uefi-starts", file: loader.file, place: chosen.volume.place, arch }),
    ...leniencies.map((leniency) => reason({ code: "lenient", leniency })),
  ];
  const holds: Path = {
    verdict: "holds",
    basis: leniencies.length > 0 ? "reference" : "standard",
    reasons: starts,
    trace,
  };
  switch (facts.firmware.secureBoot?.state ?? null) {
    case "off":
    case "absent":
      return holds;
    case "setup":
      // UEFI 2.10, 32.3: in set-up mode SecureBoot is 0 and images are not authenticated.
      return { ...holds, reasons: [...starts, reason({ code: "secure-boot-blocks-nothing" })] };
    case "on":
      return { ...holds, verdict: "unknown", basis: null, reasons: [reason({ code: "secure-boot-not-judged" })] };
    case null:
      return {
        ...holds,
        verdict: "unknown",
        basis: null,
        reasons: [reason({ code: "fact-missing", fact: "firmware.secureBoot.state" })],
      };
  }
}

function biosPath(views: Views, as: Attachment): Path {
  const view = views.bios[as];
  const trace = view.steps.map(biosStepText);
  const last: BiosStep | null = view.steps.at(-1) ?? null;
  if (view.outcome === "stops")
    return { verdict: "broken", basis: "standard", reasons: [reason({ code: "bios-stops", step: last })], trace };
  if (view.outcome === "unknown")
    return { verdict: "unknown", basis: null, reasons: [reason({ code: "bios-not-known", step: last })], trace };
  const program: StartCode = last?.code === "core-runs" ? last.program : "unknown";
  const lenient = view.leniencies.map((leniency) => reason({ code: "bios-lenient", leniency }));
  return {
    verdict: "holds",
    basis: lenient.length > 0 ? "reference" : "standard",
    reasons: [reason({ code: "bios-starts", program }), ...lenient],
    trace,
  };
}

/** Looks for what would clear a broken start: the other start mode, or the other kind of medium. */
function mendBroken(link: Link, views: Views, facts: StartFacts, as: Attachment, asBios: boolean): Link {
  const { firmware } = facts;
  if (firmware.kind === "uefi" && (firmware.legacyMode === "on" || firmware.legacyMode === "off")) {
    const to = asBios ? "off" : "on";
    const other = asBios ? uefiPath(views, facts, as) : biosPath(views, as);
    if (other.verdict === "holds") {
      const change: Change = { setting: "legacyMode", from: firmware.legacyMode, to };
      const reasons = [...link.reasons, reason({ code: "legacy-mode-would-start", to }), ...other.reasons];
      return withPorts(
        {
          ...link,
          verdict: "holds-after-change",
          basis: other.basis,
          changes: [change],
          reasons,
          trace: [...link.trace, ...other.trace],
        },
        facts,
        as,
      );
    }
  }
  const otherAs = as === "usb" ? "optical" : "usb";
  const elsewhere = asBios ? biosPath(views, otherAs) : uefiPath(views, facts, otherAs);
  if (elsewhere.verdict !== "holds") return link;
  return {
    ...link,
    changes: [{ setting: "attachAs", from: as, to: otherAs }],
    reasons: [...link.reasons, reason({ code: "other-attachment-would-start", to: otherAs })],
  };
}

/** The computer's ports and start settings, where the path itself is not broken. */
function withPorts(link: Link, facts: StartFacts, as: Attachment): Link {
  const changes: Change[] = [];
  const reasons: Reason[] = [];
  if (as === "usb") {
    if (facts.ports?.usb === 0)
      return { ...link, verdict: "broken", basis: "standard", reasons: [reason({ code: "no-usb-port" })], changes: [] };
    if (facts.firmware.usbStart === "off") {
      changes.push({ setting: "usbStart", from: "off", to: "on" });
      reasons.push(reason({ code: "usb-start-off" }));
    }
    if (facts.firmware.fastBoot === "on") {
      changes.push({ setting: "fastBoot", from: "on", to: "off" });
      reasons.push(reason({ code: "fast-boot-on" }));
    }
  } else if (facts.ports?.optical === false) {
    changes.push({ setting: "opticalDrive", from: "none", to: "external" });
    reasons.push(reason({ code: "no-optical-drive" }));
  }
  if (changes.length === 0) return link;
  const verdict: Verdict = link.verdict === "holds" ? "holds-after-change" : link.verdict;
  return { ...link, verdict, changes: [...link.changes, ...changes], reasons: [...link.reasons, ...reasons] };
}
