// Many small marks on a canvas, in the colours and textures that marks of an svg have.
import { TEXTURES, type Texture } from "./textures";

export interface Cell {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
  readonly fill: string; // as in an svg: "var(--ink)" or "url(#kind-lock)"
  readonly stroke?: string;
  readonly opacity?: number;
}

/** What a fill comes to on this canvas, in the theme of today. */
type Paint = string | CanvasPattern;

/** Clears the canvas and paints all cells, one fill after another, since changing the fill is what costs. */
export function paint(
  canvas: HTMLCanvasElement,
  cells: readonly Cell[],
  size: { readonly width: number; readonly height: number },
): void {
  const sharp = window.devicePixelRatio || 1;
  canvas.width = Math.max(1, Math.round(size.width * sharp));
  canvas.height = Math.max(1, Math.round(size.height * sharp));
  const context = canvas.getContext("2d");
  if (!context) return;
  context.scale(sharp, sharp);
  const theme = getComputedStyle(canvas);
  for (const [fill, alike] of byFill(cells)) {
    context.fillStyle = paintOf(fill, context, theme, sharp);
    for (const { x, y, width, height, opacity } of alike) {
      if (opacity !== undefined) context.globalAlpha = opacity;
      context.fillRect(x, y, width, height);
      if (opacity !== undefined) context.globalAlpha = 1;
    }
  }
  for (const { x, y, width, height, stroke } of cells) {
    if (stroke === undefined) continue;
    context.strokeStyle = colour(stroke, theme);
    context.strokeRect(x, y, width, height);
  }
}

function byFill(cells: readonly Cell[]): Map<string, Cell[]> {
  const found = new Map<string, Cell[]>();
  for (const cell of cells) {
    const alike = found.get(cell.fill);
    if (alike) alike.push(cell);
    else found.set(cell.fill, [cell]);
  }
  return found;
}

function paintOf(fill: string, context: CanvasRenderingContext2D, theme: CSSStyleDeclaration, sharp: number): Paint {
  const texture = TEXTURES.find(({ id }) => fill === `url(#${id})`);
  return (texture && pattern(texture, context, theme, sharp)) ?? colour(fill, theme);
}

function colour(fill: string, theme: CSSStyleDeclaration): string {
  const name = /^var\((--[\w-]+)\)$/.exec(fill)?.[1];
  return name === undefined ? fill : theme.getPropertyValue(name).trim();
}

function pattern(
  texture: Texture,
  context: CanvasRenderingContext2D,
  theme: CSSStyleDeclaration,
  sharp: number,
): CanvasPattern | null {
  const tile = document.createElement("canvas");
  tile.width = tile.height = Math.round(texture.size * sharp);
  const inside = tile.getContext("2d");
  if (!inside) return null;
  const scale = tile.width / texture.size;
  inside.scale(scale, scale);
  inside.fillStyle = colour(texture.ground, theme);
  inside.fillRect(0, 0, texture.size, texture.size);
  inside.strokeStyle = colour(texture.stroke, theme);
  inside.globalAlpha = texture.strokeOpacity;
  inside.lineWidth = texture.strokeWidth;
  if (texture.path) inside.stroke(new Path2D(texture.path));
  const made = context.createPattern(tile, "repeat");
  made?.setTransform(new DOMMatrix().scale(1 / scale));
  return made;
}
