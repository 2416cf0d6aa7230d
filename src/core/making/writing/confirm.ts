/** What a device is told apart by where it is confirmed. */
export interface DeviceMarks {
  serial: string | null;
  tag: string | null;
  berth: string;
}

/** So many characters of a serial's end name a device. */
const SERIAL_END = 4;

/** Whether a serial is long enough that its end tells one device from another. */
export function hasSerialEnd(serial: string | null): serial is string {
  return serial !== null && serial.length >= SERIAL_END;
}

/** Which device is meant is said by what is printed on it, by the end of its serial, or, where it has neither, by its berth. */
export function confirms(text: string, { serial, tag, berth }: DeviceMarks): boolean {
  const given = text.trim().toLowerCase();
  if (given === "") return false;
  if (tag !== null && given === tag.toLowerCase()) return true;
  if (hasSerialEnd(serial)) return given === serial.slice(-SERIAL_END).toLowerCase();
  return tag === null && given === berth.toLowerCase();
}
