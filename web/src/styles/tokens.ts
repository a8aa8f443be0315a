/** Colours and type in three levels: palette → roles → components. Components read roles only. */
import type { GlobalThemeOverrides } from "naive-ui";

const palette = {
  paper: "#e8e7e1",
  sheet: "#f3f2ed",
  ground: "#d6d3c8",
  line: "#c9c7bd",
  stone: "#5f655f",
  ink: "#1e2a2c",
  pond: "#2d5a62",
  shallow: "#9dbcbf",
  moss: "#476830",
  ochre: "#805a10",
  violet: "#6b5b7b",
  rust: "#a33a21",
  ember: "#ab4a18",
  coal: "#0d1112",
  soot: "#151a1a",
  peat: "#1a1d19",
  seam: "#33302a",
  amber: "#c58b3a",
  umber: "#a97d40",
  bronze: "#4a3820",
  fern: "#9a9440",
  brass: "#d0a043",
  heather: "#a08bb5",
  coral: "#e06a4c",
  rustdim: "#c8683a",
} as const;

/** What a colour is for; the same names in every theme. */
export type Role =
  | "page"
  | "sheet"
  | "ground"
  | "hatch"
  | "line"
  | "faint"
  | "ink"
  | "primary"
  | "surface"
  | "water"
  | "holds"
  | "tight"
  | "unproven"
  | "trips"
  | "loss";

export const themes: Record<"day" | "blackout", Record<Role, string>> = {
  day: {
    page: palette.paper,
    sheet: palette.sheet,
    ground: palette.ground,
    hatch: palette.line,
    line: palette.line,
    faint: palette.stone,
    ink: palette.ink,
    primary: palette.pond,
    surface: palette.pond,
    water: palette.shallow,
    holds: palette.moss,
    tight: palette.ochre,
    unproven: palette.violet,
    trips: palette.rust,
    loss: palette.ember,
  },
  blackout: {
    page: palette.coal,
    sheet: palette.soot,
    ground: palette.peat,
    hatch: palette.seam,
    line: palette.seam,
    faint: palette.umber,
    ink: palette.amber,
    primary: palette.amber,
    surface: palette.umber,
    water: palette.bronze,
    holds: palette.fern,
    tight: palette.brass,
    unproven: palette.heather,
    trips: palette.coral,
    loss: palette.rustdim,
  },
};

export type ThemeName = keyof typeof themes;

const type = {
  "font-label": '"Archivo Narrow", "Arial Narrow", sans-serif',
  "font-text": '"Source Sans 3", sans-serif',
};

/** Sizes of type, by what is written in them. */
const sizes = {
  /** On a drawing, beside a mark. */
  "size-mark": "12px",
  "size-small": "13px",
  "size-note": "14px",
  "size-text": "15px",
  "size-word": "16px",
  "size-line": "17px",
  "size-head": "18px",
  "size-title": "21px",
  "size-figure": "26px",
  "size-answer": "30px",
  /** The hours that are left, read across a room. */
  "size-hours": "clamp(46px, 8.4vw, 112px)",
  "size-hours-long": "clamp(42px, 7.1vw, 92px)",
  "size-print": "9.5pt",
  "size-print-word": "11pt",
};

/** Up to how many px a window is that narrow; style sheets ask `@media (--phone)`. */
export const breakpoints = {
  phone: 600,
  narrow: 720,
  tablet: 860,
  desk: 980,
  wide: 1120,
};

/** Whether the window is as narrow, as a question to the browser. */
export const asNarrowAs = (name: keyof typeof breakpoints) => `(max-width: ${String(breakpoints[name])}px)`;

/** The breakpoints under their names, for what makes the style sheets. */
export function customMedia(): string {
  const names = Object.keys(breakpoints) as (keyof typeof breakpoints)[];
  return names.map((it) => `@custom-media --${it} ${asNarrowAs(it)};`).join("\n");
}

/** The style sheet of all themes: one block of variables each. */
export function cssVariables(): string {
  const block = (selector: string, entries: [string, string][]) =>
    `${selector} {\n${entries.map(([name, value]) => `  --${name}: ${value};`).join("\n")}\n}\n`;
  return (
    block(":root", [...Object.entries(type), ...Object.entries(sizes), ...Object.entries(themes.day)]) +
    block(':root[data-theme="blackout"]', Object.entries(themes.blackout))
  );
}

/** The library's own components, square and calm. `common` needs concrete colours. */
export function naiveOverrides(name: ThemeName): GlobalThemeOverrides {
  const role = themes[name];
  return {
    common: {
      primaryColor: role.primary,
      primaryColorHover: role.primary,
      primaryColorPressed: role.ink,
      primaryColorSuppl: role.primary,
      infoColor: role.primary,
      successColor: role.holds,
      warningColor: role.tight,
      errorColor: role.trips,
      baseColor: role.page,
      bodyColor: role.page,
      cardColor: role.sheet,
      modalColor: role.sheet,
      popoverColor: role.sheet,
      textColorBase: role.ink,
      textColor1: role.ink,
      textColor2: role.ink,
      textColor3: role.faint,
      dividerColor: role.line,
      borderColor: role.line,
      hoverColor: role.line,
      scrollbarColor: role.line,
      scrollbarColorHover: role.faint,
      borderRadius: "0",
      borderRadiusSmall: "0",
      boxShadow1: "none",
      boxShadow2: "none",
      boxShadow3: "none",
      fontFamily: type["font-text"],
      fontSize: sizes["size-text"],
    },
    Drawer: {
      color: role.sheet,
      bodyPadding: "20px 24px",
      headerPadding: "16px 24px",
      headerBorderBottom: `1px solid ${role.line}`,
      boxShadow: "none",
      titleFontWeight: "600",
    },
    Button: { waveOpacity: "0", fontWeight: "500" },
  };
}
