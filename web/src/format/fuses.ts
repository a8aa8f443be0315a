/** How fuses are built, by the word of the plan file and as it is said. */
export const FUSES: [string, string][] = [
  ["blade", "blade"],
  ["bolt_down", "bolted down"],
  ["stud", "on the stud"],
  ["class_t", "class T"],
];
/** The same to choose from, where nobody may know. */
export const FUSE_CHOICES: [string, string][] = [["", "not told"], ...FUSES];
