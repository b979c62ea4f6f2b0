/** When a run would be done that is begun now, and whether the working day (“17:30”) is long enough for it. */
export function endOfRun(minutes: number, dayEnds: string, now: Date): string {
  const end = new Date(now.getTime() + minutes * 60_000);
  const said = `Begun now, it is done at ${hour(end)}`;
  const found = /^(\d{1,2}):(\d{2})$/.exec(dayEnds);
  if (!found) return `${said}.`;
  const closes = new Date(now);
  closes.setHours(Number(found[1]), Number(found[2]), 0, 0);
  const over = Math.round((end.getTime() - closes.getTime()) / 60_000);
  if (over <= 0) return `${said}; the day ends at ${dayEnds}.`;
  return `${said}, ${over} minutes after the day ends at ${dayEnds}: split it, or begin earlier.`;
}

function hour(time: Date): string {
  return `${time.getHours()}:${String(time.getMinutes()).padStart(2, "0")}`;
}
