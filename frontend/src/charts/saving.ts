import { saveFile } from "../ui/tableFile";

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

/** The picture by itself, with all that it needs to look the same elsewhere. */
export const source = (svg: SVGSVGElement): string => new XMLSerializer().serializeToString(standalone(svg));

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
