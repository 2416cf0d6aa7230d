/**
 * The identifiers that a PCI or USB device answers to in .inf files, most particular first, made from its modalias.
 * Source: Microsoft, "Identifiers for PCI devices" and "Standard USB identifiers". Identifiers with a PCI revision
 * are left out: a modalias does not tell it.
 */
export function hardwareIds(modalias: string): string[] {
  const pci =
    /^pci:v0000([0-9A-F]{4})d0000([0-9A-F]{4})sv0000([0-9A-F]{4})sd0000([0-9A-F]{4})bc([0-9A-F]{2})sc([0-9A-F]{2})i([0-9A-F]{2})/i.exec(
      modalias,
    );
  if (pci) return pciIds(pci.slice(1).map((each) => each.toUpperCase()));
  const usb =
    /^usb:v([0-9A-F]{4})p([0-9A-F]{4})d([0-9A-F]{4})dc([0-9A-F]{2})dsc([0-9A-F]{2})dp([0-9A-F]{2})ic([0-9A-F]{2})isc([0-9A-F]{2})ip([0-9A-F]{2})(?:in([0-9A-F]{2}))?/i.exec(
      modalias,
    );
  return usb ? usbIds(usb.slice(1).map((each) => each?.toUpperCase() ?? "")) : [];
}

function pciIds([vendor, device, subVendor, subDevice, base, sub, api]: string[]): string[] {
  const [v, d] = [`VEN_${vendor}`, `DEV_${device}`];
  return [
    `${v}&${d}&SUBSYS_${subDevice}${subVendor}`,
    `${v}&${d}&CC_${base}${sub}${api}`,
    `${v}&${d}&CC_${base}${sub}`,
    `${v}&${d}`,
    `${v}&CC_${base}${sub}${api}`,
    `${v}&CC_${base}${sub}`,
    v,
    `CC_${base}${sub}${api}`,
    `CC_${base}${sub}`,
  ].map((id) => `PCI\\${id}`);
}

function usbIds([vendor, product, revision, dc, dsc, dp, ic, isc, ip, number]: string[]): string[] {
  const usbId = `VID_${vendor}&PID_${product}`;
  const part = number ? `&MI_${number}` : "";
  const classes = (c?: string, s?: string, p?: string) => [
    `CLASS_${c}&SUBCLASS_${s}&PROT_${p}`,
    `CLASS_${c}&SUBCLASS_${s}`,
    `CLASS_${c}`,
  ];
  return [
    `${usbId}&REV_${revision}${part}`,
    ...(part ? [`${usbId}${part}`] : []),
    `${usbId}&REV_${revision}`,
    usbId,
    ...classes(ic, isc, ip),
    ...(dc === "00" ? [] : classes(dc, dsc, dp)),
  ].map((id) => `USB\\${id}`);
}

/**
 * What somebody typed, as a modalias: itself, or PCI ids as lspci writes them (`8086:a282`, with the subsystem's if
 * they are there). What the ids do not tell, the class among it, is zero: patterns that go by it are not found. Null
 * where it is neither.
 */
export function asModalias(text: string): string | null {
  const ids = /^([0-9a-f]{4}):([0-9a-f]{4})(?::([0-9a-f]{4}):([0-9a-f]{4}))?$/i.exec(text);
  if (ids) {
    const [vendor, device, subVendor = "0000", subDevice = "0000"] = ids.slice(1).map((each) => each?.toUpperCase());
    return `pci:v0000${vendor}d0000${device}sv0000${subVendor}sd0000${subDevice}bc00sc00i00`;
  }
  return /^\w+:/.test(text) ? text : null;
}
