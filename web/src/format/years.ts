/** A time in years as two digits deserve it. */
export function inYears(years: number): string {
  if (years < 0.95) return years < 0.125 ? "1 month" : `${Math.round(years * 12)} months`;
  const rounded = years < 9.95 ? Math.round(years * 10) / 10 : Math.round(years);
  return rounded === 1 ? "1 year" : `${rounded} years`;
}
