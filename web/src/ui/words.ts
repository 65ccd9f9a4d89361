/** Clock time as m:ss. */
export function clock(seconds: number): string {
  const whole = Math.floor(seconds);
  return `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}`;
}

/** "1 note", "3 notes": a number with its noun. */
export function count(number: number, noun: string): string {
  return `${number.toLocaleString("en-GB")} ${noun}${number === 1 ? "" : "s"}`;
}
