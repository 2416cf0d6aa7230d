/** Day and time as FAT and exFAT keep them: two seconds at best, 1980 to 2107, no zone (here UTC). FAT specification 1.03, "Date and Time Formats". */
export function dosTime(iso: string): { date: number; time: number; tenMilliseconds: number } {
  const given = new Date(iso);
  const at = Number.isNaN(given.getTime()) ? new Date("1980-01-01T00:00:00Z") : given;
  const year = at.getUTCFullYear();
  if (year < 1980) return { date: (1 << 5) | 1, time: 0, tenMilliseconds: 0 };
  if (year > 2107) return { date: (127 << 9) | (12 << 5) | 31, time: 0, tenMilliseconds: 0 };
  const seconds = at.getUTCSeconds();
  return {
    date: ((year - 1980) << 9) | ((at.getUTCMonth() + 1) << 5) | at.getUTCDate(),
    time: (at.getUTCHours() << 11) | (at.getUTCMinutes() << 5) | (seconds >> 1),
    tenMilliseconds: (seconds & 1) * 100 + Math.floor(at.getUTCMilliseconds() / 10),
  };
}
