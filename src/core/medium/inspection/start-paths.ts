import { biosStepText, startCodeText } from "../../words/firmware";
import { reason } from "../../words/reasons";
import type { Program } from "../contents/schema";
import type { BiosView } from "../firmware/bios/view";
import { type Place, placeText } from "../firmware/place";
import { chooseLoader, loadProblem } from "../firmware/uefi/choose";
import { ARCHITECTURES } from "../firmware/uefi/view";
import type { Attachment, StartPath, Views } from "./schema";

/** The ways in that the medium offers, each with what is wrong with it; what firmware would never take is left out. */
export function startPathsOf(views: Views, programs: ProgramsByPlace = new Map()): StartPath[] {
  return (["usb", "optical"] as const).flatMap((as) => [
    ...uefiPaths(views, as, programs),
    ...biosPath(views.bios[as], as),
  ]);
}

/** Programs by where their volume begins and their path. */
export type ProgramsByPlace = Map<string, Program>;

export function placeKey(volumeStart: number, path: string): string {
  return `${volumeStart} ${path.toUpperCase()}`;
}

function uefiPaths(views: Views, as: Attachment, programs: ProgramsByPlace): StartPath[] {
  const paths: StartPath[] = [];
  for (const arch of ARCHITECTURES) {
    const { chosen } = chooseLoader(views.uefi[as], arch);
    if (!chosen) continue;
    const { volume, start } = chosen;
    const problem = loadProblem(start, arch);
    const program = programs.get(placeKey(volume.start, start.loader.file));
    paths.push({
      firmware: "uefi",
      arch,
      as,
      file: start.loader.file,
      partition: partitionOf(volume.place),
      place: placeText(volume.place),
      loader: {
        machine: start.loader.machine,
        bytes: start.loader.bytes,
        authenticode: program?.authenticode ?? null,
        signatures: program?.signatures ?? null,
        sbat: start.loader.sbat,
      },
      problems: problem ? [{ code: problem.code, text: reason(problem).text }] : [],
    });
  }
  return paths;
}

function biosPath(view: BiosView, as: Attachment): StartPath[] {
  const codes = view.steps.filter((step) => step.code === "start-code");
  const last = codes.at(-1);
  if (!last || last.program === "blank" || last.program === "format-stub") return [];
  const end = view.steps.at(-1);
  const problem =
    view.outcome === "starts" || !end
      ? []
      : [{ code: view.outcome === "stops" ? `bios-${end.code}` : "bios-not-known", text: `${biosStepText(end)}.` }];
  return [
    {
      firmware: "bios",
      arch: "x86",
      as,
      file: startCodeText(last.program),
      partition: partitionOf(last.place),
      place: placeText(last.place),
      loader: null,
      problems: problem,
    },
  ];
}

function partitionOf(place: Place): number | null {
  const step = place[0];
  return step && (step.kind === "gpt" || step.kind === "mbr" || step.kind === "logical") ? step.number : null;
}
