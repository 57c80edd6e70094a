// Charts as files. Styles that come from the page are written into the copy, so that it looks the same elsewhere.

const STYLES = [
  "fill",
  "stroke",
  "stroke-width",
  "stroke-opacity",
  "stroke-dasharray",
  "font-size",
  "font-family",
  "opacity",
];

function standalone(svg: SVGSVGElement): SVGSVGElement {
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const originals = [svg, ...svg.querySelectorAll("*")];
  [copy, ...copy.querySelectorAll("*")].forEach((node, i) => {
    const original = originals[i];
    if (!original) return;
    const style = getComputedStyle(original);
    for (const name of STYLES) {
      const value = style.getPropertyValue(name);
      if (value) node.setAttribute(name, value.replace(/url\("?[^"#]*#/, "url(#").replace(/"\)/, ")"));
    }
    node.removeAttribute("class");
  });
  // The patterns of the wait kinds stand in an element of their own; a file must bring them along.
  const textures = document.querySelector<SVGSVGElement>("svg[data-textures]");
  if (textures && textures !== svg) copy.prepend(...standalone(textures).querySelectorAll("defs"));
  const background = document.createElementNS("http://www.w3.org/2000/svg", "rect");
  background.setAttribute("width", "100%");
  background.setAttribute("height", "100%");
  background.setAttribute("fill", getComputedStyle(document.body).backgroundColor);
  copy.prepend(background);
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  return copy;
}

const source = (svg: SVGSVGElement): string => new XMLSerializer().serializeToString(standalone(svg));

export function saveFile(content: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(content);
  link.download = name;
  link.click();
  setTimeout(() => {
    URL.revokeObjectURL(link.href);
  }, 1000);
}

export function saveSvg(svg: SVGSVGElement, name: string): void {
  saveFile(new Blob([source(svg)], { type: "image/svg+xml" }), `${name}.svg`);
}

/** Drawn at twice the size on screen, so that it stays sharp in a document. */
export async function savePng(svg: SVGSVGElement, name: string): Promise<void> {
  const { width, height } = svg.getBoundingClientRect();
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(source(svg))}`;
  await image.decode();
  const canvas = document.createElement("canvas");
  canvas.width = width * 2;
  canvas.height = height * 2;
  canvas.getContext("2d")?.drawImage(image, 0, 0, canvas.width, canvas.height);
  canvas.toBlob((blob) => {
    if (blob) saveFile(blob, `${name}.png`);
  });
}

/** A table as CSV; texts with commas, quotes or line ends are quoted. */
export function toCsv(table: Table): string {
  const cell = (value: string | number | null): string => {
    const text = value === null ? "" : String(value);
    return /[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
  };
  return [table.columns, ...table.rows].map((row) => row.map(cell).join(",")).join("\n") + "\n";
}

export interface Table {
  readonly columns: readonly string[];
  readonly rows: readonly (readonly (string | number | null)[])[];
}

/** One object a line, columns as names; gaps are null. */
export function toJsonl(table: Table): string {
  return table.rows
    .map((row) => `${JSON.stringify(Object.fromEntries(table.columns.map((name, i) => [name, row[i] ?? null])))}\n`)
    .join("");
}
