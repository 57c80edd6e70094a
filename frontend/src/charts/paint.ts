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

/** Makes the cells when they are painted, so that many of them are made a part at a time. */
export type CellSource = () => Iterable<Cell>;

const SLICE = 1000; // cells that are made and painted in one go
const BUSY_MS = 8; // after which others are let in between

/**
 * Paints all cells, in parts that hold up nobody; what was there stays until all is painted. Returns what stops it.
 */
export function paint(
  canvas: HTMLCanvasElement,
  cells: CellSource,
  size: { readonly width: number; readonly height: number },
): () => void {
  const sharp = window.devicePixelRatio || 1;
  const made = document.createElement("canvas");
  made.width = Math.max(1, Math.round(size.width * sharp));
  made.height = Math.max(1, Math.round(size.height * sharp));
  const [context, shown] = [made.getContext("2d"), canvas.getContext("2d")];
  if (!context || !shown) return () => undefined;
  context.scale(sharp, sharp);
  const brush = { context, theme: getComputedStyle(canvas), sharp, paints: new Map<string, Paint>() };
  const left = cells()[Symbol.iterator]();
  const go = (): void => {
    const begun = performance.now();
    while (performance.now() - begun < BUSY_MS) {
      const slice = take(left, SLICE);
      paintSlice(brush, slice);
      if (slice.length < SLICE) {
        canvas.width = made.width;
        canvas.height = made.height;
        shown.drawImage(made, 0, 0);
        return;
      }
    }
    timer = setTimeout(go);
  };
  let timer = setTimeout(go); // not at once: what has just been laid out has taken its time already
  return () => clearTimeout(timer);
}

function take<T>(left: Iterator<T>, most: number): T[] {
  const taken: T[] = [];
  while (taken.length < most) {
    const next = left.next();
    if (next.done) break;
    taken.push(next.value);
  }
  return taken;
}

interface Brush {
  readonly context: CanvasRenderingContext2D;
  readonly theme: CSSStyleDeclaration;
  readonly sharp: number;
  readonly paints: Map<string, Paint>;
}

/** One fill after another, since changing the fill is what costs. */
function paintSlice({ context, theme, sharp, paints }: Brush, cells: readonly Cell[]): void {
  for (const [fill, alike] of byFill(cells)) {
    let made = paints.get(fill);
    if (made === undefined) paints.set(fill, (made = paintOf(fill, context, theme, sharp)));
    context.fillStyle = made;
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
