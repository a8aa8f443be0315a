/** What a limit is at, in a word or two, by the code of its finding. */
const WHAT: Record<string, string> = {
  "port-limit": "port",
  "group-limit": "shared by its ports",
  "converter-input-current": "input",
  "converter-output-limit": "output",
  "battery-current": "battery",
  "fuse-size": "fuse of its lead",
  "alternator-share": "alternator",
  "device-voltage": "voltage",
  "converter-voltage": "input voltage",
  "charge-input": "charging input",
  "connector-rating": "plug",
  "data-cable": "data cable",
  crest: "peaks of adapters",
  "least-load": "least load",
};

export const boardWord = (code: string): string => WHAT[code] ?? code.replace(/-/g, " ");
