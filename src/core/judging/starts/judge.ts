import type { StartFacts } from "../../computer/facts/profile";
import { internalFirst } from "../../computer/facts/start-order";
import type { Attachment, Views } from "../../medium/inspection/schema";
import { behindPassword, LEGACY_ENTRY } from "../model/changes";
import type { Reason } from "../model/reasons";
import type { Change, Link, Verdict } from "../model/schema";
import { biosPath } from "./bios-path";
import { uefiPath } from "./uefi-path";

/**
 * The Starts link: what this computer's firmware, as its facts stand, does with a medium attached as a stick or a
 * disc, with Secure Boot as its lists have it. `today` (an ISO day) is only for cautions: no verdict depends on it.
 */
export function judgeStart(views: Views, facts: StartFacts, as: Attachment, today: string | null = null): Link {
  return behindPassword(asSeen(views, startOf(views, facts, as, today)), facts.firmware);
}

/**
 * Of a medium of which only the files were seen, no more is known than that its loader would run: whether firmware comes to
 * it hangs on the partition table and the file system. A loader that cannot run, or that is not allowed to, cannot either way.
 */
function asSeen(views: Views, link: Link): Link {
  if (views.from !== "folder" || link.verdict === "unknown") return link;
  const isAbsent = link.reasons.some(({ code }) => code === "no-loader");
  if (link.verdict === "broken" && !isAbsent) return link;
  return { ...link, verdict: "unknown", basis: null, reasons: [{ code: "read-as-folder" }, ...link.reasons] };
}

function startOf(views: Views, facts: StartFacts, as: Attachment, today: string | null): Link {
  const { firmware } = facts;
  if (firmware.kind === null) return withoutKind(views, facts, as);
  const asBios = firmware.kind === "bios" || firmware.legacyMode === "on";
  const { blocked, ...path } = asBios ? biosPath(views, as) : uefiPath(views, facts, as, today);
  const reasons: Reason[] =
    firmware.kind === "uefi" && asBios ? [{ code: "legacy-mode-on" }, ...path.reasons] : path.reasons;
  const link: Link = { ...path, reasons, changes: [] };
  if (firmware.legacyMode === "both" && firmware.kind === "uefi" && (blocked || path.verdict === "broken")) {
    const other = biosPath(views, as);
    if (other.verdict === "holds") return withPorts(byLegacyEntry(link, other), facts, as);
  }
  if (blocked) return withPorts(withoutSecureBoot(link), facts, as);
  if (path.verdict === "broken") return mendBroken(link, views, facts, as, asBios);
  return withPorts(link, facts, as);
}

/** Firmware that offers both modes has an entry of each for a medium: the other one is chosen in its menu. Common practice. */
function byLegacyEntry(link: Link, other: Pick<Link, "basis" | "reasons" | "trace">): Link {
  return {
    ...link,
    ...{ verdict: "holds-after-change", basis: other.basis },
    changes: [LEGACY_ENTRY],
    reasons: [...link.reasons, { code: "legacy-entry-would-start" }, ...other.reasons],
    trace: [...link.trace, ...other.trace],
  };
}

/** What Secure Boot refuses starts once it is off. UEFI 2.10, 32.3. */
function withoutSecureBoot(link: Link): Link {
  const change: Change = { setting: "secureBoot", from: "on", to: "off" };
  const reasons: Reason[] = [...link.reasons, { code: "secure-boot-off-would-start" }];
  return { ...link, verdict: "holds-after-change", changes: [...link.changes, change], reasons };
}

/** Without the kind of firmware only what holds for every kind can be said. */
function withoutKind(views: Views, facts: StartFacts, as: Attachment): Link {
  const paths = [biosPath(views, as), uefiPath(views, facts, as)];
  if (paths.every((path) => path.verdict === "broken" && !path.blocked)) {
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
    reasons: [{ code: "fact-missing", fact: "firmware.kind" }],
    trace: [],
  };
}

/** Common practice: legacy mode cannot be switched on while Secure Boot is. */
function legacyChanges({ firmware }: StartFacts, to: "on" | "off"): Change[] {
  const change: Change = { setting: "legacyMode", from: to === "on" ? "off" : "on", to };
  const isSecured = to === "on" && firmware.secureBoot?.state === "on";
  return isSecured ? [{ setting: "secureBoot", from: "on", to: "off" }, change] : [change];
}

/** Looks for what would clear a broken start: the other start mode, or the other kind of medium. */
function mendBroken(link: Link, views: Views, facts: StartFacts, as: Attachment, asBios: boolean): Link {
  const { firmware } = facts;
  if (firmware.kind === "uefi" && (firmware.legacyMode === "on" || firmware.legacyMode === "off")) {
    const to = asBios ? "off" : "on";
    const other = asBios ? uefiPath(views, facts, as) : biosPath(views, as);
    if (other.verdict === "holds") {
      const reasons: Reason[] = [...link.reasons, { code: "legacy-mode-would-start", to }, ...other.reasons];
      return withPorts(
        {
          ...link,
          verdict: "holds-after-change",
          basis: other.basis,
          changes: legacyChanges(facts, to),
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
    reasons: [...link.reasons, { code: "other-attachment-would-start", to: otherAs }],
  };
}

/** The computer's ports and start settings, where the path itself is not broken. */
function withPorts(link: Link, facts: StartFacts, as: Attachment): Link {
  const changes: Change[] = [];
  const reasons: Reason[] = [];
  if (as === "usb") {
    if (facts.ports?.usb === 0) {
      changes.push({ setting: "usbPort", from: "none", to: "by a dock or a card" });
      reasons.push({ code: "no-usb-port" });
    }
    if (facts.firmware.usbStart === "off") {
      changes.push({ setting: "usbStart", from: "off", to: "on" });
      reasons.push({ code: "usb-start-off" });
    }
    if (facts.firmware.fastBoot === "on") {
      changes.push({ setting: "fastBoot", from: "on", to: "off" });
      reasons.push({ code: "fast-boot-on" });
    }
  } else if (facts.ports?.optical === false) {
    changes.push({ setting: "opticalDrive", from: "none", to: "external" });
    reasons.push({ code: "no-optical-drive" });
  }
  if (internalFirst(facts.firmware, as)) {
    changes.push({
      setting: "startOrder",
      from: "internal disk first",
      to: as === "usb" ? "USB first" : "optical first",
    });
    reasons.push({ code: "internal-disk-first" });
  }
  if (changes.length === 0) return link;
  const verdict: Verdict = link.verdict === "holds" ? "holds-after-change" : link.verdict;
  return { ...link, verdict, changes: [...link.changes, ...changes], reasons: [...link.reasons, ...reasons] };
}
