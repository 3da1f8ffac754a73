/** The moment written on a sheet, like 10:32 of today or with its date, as the server takes it; what can't be read is sent as it is. */
export function paperTime(text: string, today: Date = new Date()): string {
  const found = /^(?:(\d{4})-(\d{2})-(\d{2})[ T])?(\d{1,2}):(\d{2})$/.exec(text.trim());
  if (!found) return text.trim() || "no time";
  const [, year, month, date, hour = "0", minute = "0"] = found;
  const at = year ? new Date(Number(year), Number(month) - 1, Number(date)) : new Date(today);
  at.setHours(Number(hour), Number(minute), 0, 0);
  return withOffset(at);
}

/** ISO 8601 with the offset of the clock on the wall, so that what is said of the time is said in it. */
function withOffset(at: Date): string {
  const two = (n: number) => String(Math.floor(Math.abs(n))).padStart(2, "0");
  const east = -at.getTimezoneOffset();
  const day = `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}`;
  return `${day}T${two(at.getHours())}:${two(at.getMinutes())}:00${east < 0 ? "-" : "+"}${two(east / 60)}:${two(east % 60)}`;
}
