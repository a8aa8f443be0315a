/**
 * A part of the page as one SVG: its drawings with the styles that they have, and every word that stands over them as
 * text of its own, so that the file can be read, searched and changed. Nothing is taken from anywhere but the page.
 */

const NAMESPACE = "http://www.w3.org/2000/svg";
/** What a drawing gets from the style sheet. */
const STYLES = [
  "fill",
  "stroke",
  "stroke-width",
  "stroke-dasharray",
  "stroke-linejoin",
  "paint-order",
  "opacity",
  "font-family",
  "font-size",
  "font-weight",
  "text-anchor",
] as const;

/** How high a headline stands over a picture, px. */
const HEADLINE = 30;

type Box = { x: number; y: number };

function element(name: string, attributes: Record<string, string | number>): SVGElement {
  const made = document.createElementNS(NAMESPACE, name);
  for (const [key, value] of Object.entries(attributes)) made.setAttribute(key, String(value));
  return made;
}

/** A drawing of the page, where it stands. */
function drawing(svg: SVGSVGElement, origin: Box): SVGElement {
  const box = svg.getBoundingClientRect();
  const clone = svg.cloneNode(true) as SVGSVGElement;
  const own = [svg, ...svg.querySelectorAll<SVGElement>("*")];
  const copies = [clone, ...clone.querySelectorAll<SVGElement>("*")];
  own.forEach((it, index) => {
    const copy = copies[index];
    const style = getComputedStyle(it);
    for (const name of STYLES) {
      const value = style.getPropertyValue(name);
      if (value) copy?.setAttribute(name, value.replace(/url\("(#[^"]+)"\)/, "url($1)"));
    }
    copy?.removeAttribute("class");
    for (const attribute of [...(copy?.attributes ?? [])])
      if (attribute.name.startsWith("data-")) copy?.removeAttribute(attribute.name);
  });
  clone.setAttribute("x", String(box.left - origin.x));
  clone.setAttribute("y", String(box.top - origin.y));
  clone.setAttribute("width", String(box.width));
  clone.setAttribute("height", String(box.height));
  clone.setAttribute("overflow", "visible");
  return clone;
}

const ruler = () => document.createElement("canvas").getContext("2d");

/** Words in one line, at their place and as wide as on the page, whatever font reads them later. */
function words(text: string, box: DOMRect, style: CSSStyleDeclaration, origin: Box): SVGElement {
  const pen = ruler();
  let baseline = box.bottom - box.height * 0.24;
  if (pen) {
    pen.font = `${style.fontWeight} ${style.fontSize} ${style.fontFamily}`;
    const { fontBoundingBoxAscent: up, fontBoundingBoxDescent: down } = pen.measureText(text);
    baseline = box.top + (box.height - up - down) / 2 + up;
  }
  const made = element("text", {
    x: (box.left - origin.x).toFixed(1),
    y: (baseline - origin.y).toFixed(1),
    "font-family": style.fontFamily,
    "font-size": style.fontSize,
    "font-weight": style.fontWeight,
    fill: style.color,
    textLength: box.width.toFixed(1),
    lengthAdjust: "spacingAndGlyphs",
    "xml:space": "preserve",
  });
  made.textContent = text;
  return made;
}

/** The lines of a text node, each with its box. */
function lines(node: Text): { text: string; box: DOMRect }[] {
  const range = document.createRange();
  const found: { text: string; box: DOMRect }[] = [];
  for (const match of node.data.matchAll(/\S+/g)) {
    range.setStart(node, match.index);
    range.setEnd(node, match.index + match[0].length);
    const box = range.getBoundingClientRect();
    if (box.width === 0) continue;
    const last = found[found.length - 1];
    if (last && Math.abs(last.box.top - box.top) < 3) {
      last.text += ` ${match[0]}`;
      last.box = new DOMRect(last.box.left, last.box.top, box.right - last.box.left, last.box.height);
    } else found.push({ text: match[0], box });
  }
  return found;
}

/** What is there for the hand alone: in a picture nobody can move it. */
const HANDLES = "input[type=range], input[type=checkbox]";

function clear(colour: string): boolean {
  return colour === "transparent" || /,\s*0\)$|\/\s*0\)$/.test(colour);
}

/** Grounds and hairlines of the page's boxes. */
function boxes(root: HTMLElement, origin: Box): SVGElement[] {
  const made: SVGElement[] = [];
  for (const it of root.querySelectorAll<HTMLElement>("*")) {
    if (!(it instanceof HTMLElement) || !it.checkVisibility() || it.matches(HANDLES)) continue;
    const style = getComputedStyle(it);
    const box = it.getBoundingClientRect();
    const x = box.left - origin.x;
    const y = box.top - origin.y;
    if (!clear(style.backgroundColor) && box.width > 0)
      made.push(element("rect", { x, y, width: box.width, height: box.height, fill: style.backgroundColor }));
    const sides: [string, string, number][] = [
      [style.borderTopWidth, style.borderTopColor, y],
      [style.borderBottomWidth, style.borderBottomColor, y + box.height],
    ];
    for (const [width, colour, at] of sides)
      if (parseFloat(width) > 0 && !clear(colour))
        made.push(
          element("line", {
            x1: x,
            x2: x + box.width,
            y1: at,
            y2: at,
            stroke: colour,
            "stroke-width": width,
          }),
        );
  }
  return made;
}

/** The fonts in use, in the file itself, so that a picture of it looks the same anywhere. */
async function fonts(): Promise<string> {
  const rules = [...document.styleSheets].flatMap((sheet) => {
    try {
      return [...sheet.cssRules].filter((it) => it instanceof CSSFontFaceRule);
    } catch {
      return [];
    }
  });
  const inlined = rules.map(async (rule) => {
    const [, path] = /url\("?([^")]+)"?\)/.exec(rule.style.getPropertyValue("src")) ?? [];
    if (path === undefined) return "";
    const base = rule.parentStyleSheet?.href ?? location.href;
    const bytes = new Uint8Array(await (await fetch(new URL(path, base))).arrayBuffer());
    let text = "";
    for (const byte of bytes) text += String.fromCharCode(byte);
    const style = rule.style;
    const same = ["font-family", "font-weight", "unicode-range"]
      .filter((name) => style.getPropertyValue(name))
      .map((name) => `${name}:${style.getPropertyValue(name)};`);
    const src = `src:url(data:font/woff2;base64,${btoa(text)}) format("woff2")`;
    return `@font-face{${same.join("")}${src}}`;
  });
  return (await Promise.all(inlined)).join("");
}

export interface Picture {
  svg: string;
  width: number;
  height: number;
}

/** A headline, as the page has its own, no wider than there is room. */
function headed(text: string, most: number, margin: number): SVGElement {
  const look = getComputedStyle(document.querySelector("h1") ?? document.body);
  const pen = ruler();
  if (pen) pen.font = `${look.fontWeight} ${look.fontSize} ${look.fontFamily}`;
  const wide = Math.min(pen?.measureText(text).width ?? most, most);
  return words(text, new DOMRect(margin, margin, wide, HEADLINE), look, { x: 0, y: 0 });
}

/**
 * Draws what `root` shows. `title` says what it is; what it `says`, where that stands elsewhere on the page,
 * goes above.
 */
export async function pictureOf(root: HTMLElement, title: string, says = ""): Promise<Picture> {
  const box = root.getBoundingClientRect();
  const margin = 16;
  const above = margin + (says ? HEADLINE + 8 : 0);
  const origin = { x: box.left - margin, y: box.top - above };
  const width = Math.ceil(Math.max(box.width, root.scrollWidth)) + 2 * margin;
  const height = Math.ceil(Math.max(box.height, root.scrollHeight)) + above + margin;
  const out = element("svg", { xmlns: NAMESPACE, width, height, viewBox: `0 0 ${width} ${height}` });
  const name = element("title", {});
  name.textContent = says || title;
  const style = element("style", {});
  style.textContent = await fonts();
  const page = getComputedStyle(document.body).backgroundColor;
  out.append(name, style, element("rect", { width, height, fill: page }), ...boxes(root, origin));
  if (says) out.append(headed(says, width - 2 * margin, margin));
  for (const svg of root.querySelectorAll("svg"))
    if (svg.checkVisibility() && !svg.parentElement?.closest("svg")) out.append(drawing(svg, origin));
  const walker = document.createTreeWalker(root, NodeFilter.SHOW_TEXT);
  for (let node = walker.nextNode(); node; node = walker.nextNode()) {
    const parent = node.parentElement;
    if (!parent || parent.closest("svg") || !parent.checkVisibility()) continue;
    const look = getComputedStyle(parent);
    for (const line of lines(node as Text)) out.append(words(line.text, line.box, look, origin));
  }
  for (const field of root.querySelectorAll<HTMLInputElement>("input")) {
    if (field.matches(HANDLES)) continue;
    const look = getComputedStyle(field);
    const place = field.getBoundingClientRect();
    const pen = ruler();
    if (pen) pen.font = `${look.fontWeight} ${look.fontSize} ${look.fontFamily}`;
    const wide = pen?.measureText(field.value).width ?? place.width;
    const left =
      look.textAlign === "right" || look.textAlign === "end"
        ? place.right - parseFloat(look.paddingRight) - wide
        : look.textAlign === "center"
          ? place.left + (place.width - wide) / 2
          : place.left + parseFloat(look.paddingLeft);
    if (field.value && field.checkVisibility())
      out.append(words(field.value, new DOMRect(left, place.top, wide, place.height), look, origin));
  }
  return { svg: new XMLSerializer().serializeToString(out), width, height };
}

/** The same as PNG, two pixels for each of the page's. */
export async function pixels(picture: Picture): Promise<Blob> {
  const image = new Image();
  // The page's own rules let pictures come from it alone, or stand in the address itself.
  image.src = `data:image/svg+xml,${encodeURIComponent(picture.svg)}`;
  await image.decode();
  const canvas = document.createElement("canvas");
  canvas.width = picture.width * 2;
  canvas.height = picture.height * 2;
  const pen = canvas.getContext("2d");
  if (!pen) throw new Error("the browser draws no pictures");
  pen.scale(2, 2);
  pen.drawImage(image, 0, 0, picture.width, picture.height);
  return new Promise((resolve, reject) =>
    canvas.toBlob(
      (blob) => (blob ? resolve(blob) : reject(new Error("the browser makes no PNG"))),
      "image/png",
    ),
  );
}
