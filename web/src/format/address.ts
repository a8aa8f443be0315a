/** An address with some parts of its question set, and without those that have no value; the others stay. */
export function addressWith(
  at: { pathname: string; search: string; hash: string },
  parts: Record<string, string | undefined>,
): string {
  const query = new URLSearchParams(at.search);
  for (const [name, value] of Object.entries(parts)) {
    if (value === undefined || value === "") query.delete(name);
    else query.set(name, value);
  }
  // Commas and colons part ids, and are read so too.
  const text = query.toString().replaceAll("%2C", ",").replaceAll("%3A", ":");
  return at.pathname + (text ? `?${text}` : "") + at.hash;
}

/** A share or another number out of an address, between two; nothing where it is none. */
export function numberIn(text: string, least: number, most: number): number | undefined {
  const value = text.trim() === "" ? Number.NaN : Number(text);
  return Number.isFinite(value) ? Math.min(most, Math.max(least, value)) : undefined;
}

/** Ids out of an address. */
export const idsIn = (text: string): string[] => text.split(",").filter((it) => it !== "");
