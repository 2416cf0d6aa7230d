import { itemAt } from "../../kernel/item-at";
import { statedText } from "../../kernel/stated-values";
import type { DeviceFacts } from "../facts/schema";
import { deviceUse, pciModalias } from "../hardware/modalias";
import type { Told } from "./document";

/** `lspci -nn -mm -v`: records of "Name:<tab>value [id]", blank lines between. Source: lspci(8) of pciutils. */
export function isLspci(text: string): boolean {
  return /^Slot:\s/m.test(text) && /^Vendor:\s/m.test(text);
}

const RECORDS_MAX = 1000;
const idOf = (value: string | undefined) => /\[([0-9a-f]{4})\]\s*$/i.exec(value ?? "")?.[1] ?? null;
const nameOf = (value: string | undefined) => statedText((value ?? "").replace(/\s*\[[0-9a-f]{4}\]\s*$/i, ""));

/**
 * Output of `lspci -vmmnnk` (pciutils, lspci(8), "Machine readable output"); numbers of vendor, device and class in
 * hex.
 */
export function readLspci(text: string): Told {
  let nameless = 0;
  const devices = text
    .split(/\r?\n\s*\r?\n/)
    .slice(0, RECORDS_MAX)
    .flatMap((record): DeviceFacts[] => {
      const values = new Map(
        record.split(/\r?\n/).flatMap((line): [string, string][] => {
          const match = /^([A-Za-z]+):\s*(.*)$/.exec(line);
          return match ? [[itemAt(match, 1), itemAt(match, 2)]] : [];
        }),
      );
      if (!values.has("Slot")) return [];
      const [kind, vendor, device] = [
        idOf(values.get("Class")),
        idOf(values.get("Vendor")),
        idOf(values.get("Device")),
      ];
      if (!kind || !vendor || !device) {
        nameless++;
        return [];
      }
      const modalias = pciModalias({
        vendor,
        device,
        subVendor: idOf(values.get("SVendor")) ?? "0",
        subDevice: idOf(values.get("SDevice")) ?? "0",
        class: kind,
        interface: values.get("ProgIf") ?? "0",
      });
      const name = [nameOf(values.get("Vendor")), nameOf(values.get("Device"))].filter(Boolean).join(" ");
      return [{ class: deviceUse(modalias), modalias, name: name.slice(0, 200) || null }];
    });
  return nameless > 0
    ? { facts: { devices }, notes: [{ code: "devices-nameless", count: nameless }] }
    : { facts: { devices }, complete: ["devices/pci"] };
}
