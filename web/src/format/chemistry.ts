/** What the pages say of chemistries, as it ships with the computation. */
import file from "../../../crates/core/data/chemistries.json";

interface Words {
  /** In a word or two. */
  short: string;
  /** Beside the others. */
  said: string;
  family: string;
}

const known: Record<string, Words> = file.chemistries;

/** Every chemistry with what it is called among the others. */
export const CHEMISTRIES: [string, string][] = Object.entries(known).map(([id, it]) => [id, it.said]);

/** What a chemistry is called in a word or two; its own id where nobody knows it. */
export const chemistryWord = (id: string): string => known[id]?.short ?? id;

/** Lead gives off gas while it is charged. */
export const isLead = (id: string | undefined): boolean => known[id ?? ""]?.family === "lead";
