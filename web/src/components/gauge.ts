/** Marks on a staff. */

/** Marks whose words would touch, joined: each group has the place of its first. */
export function joinMarks<T extends { y: number }>(marks: T[], apart: number): { y: number; marks: T[] }[] {
  const groups: { y: number; marks: T[] }[] = [];
  for (const mark of [...marks].sort((a, b) => a.y - b.y)) {
    const last = groups[groups.length - 1];
    if (last && mark.y - last.y < apart) last.marks.push(mark);
    else groups.push({ y: mark.y, marks: [mark] });
  }
  return groups;
}

const WORDS: Record<string, string> = { running: "run", busy: "busy", "all-starting": "all start" };

/** A moment in a word. */
export function momentWord(moment: string): string {
  return WORDS[moment] ?? (moment.startsWith("starting") ? "start" : "stop");
}

/** The highest mark of each word. */
export function highest(marks: { moment: string; value: number }[]): [string, number][] {
  const found = new Map<string, number>();
  for (const mark of marks) {
    const word = momentWord(mark.moment);
    found.set(word, Math.max(mark.value, found.get(word) ?? -Infinity));
  }
  return [...found];
}
