import { describe, expect, it } from "vitest";

import { KINDS } from "../charts/kinds";
import css from "./styles.css?raw";

const themes = {
  light: css.split('[data-theme="dark"] {')[0] ?? "",
  dark: css.split('[data-theme="dark"] {')[1] ?? "",
};

function luminance(hex: string): number {
  const channel = (at: number): number => {
    const v = parseInt(hex.slice(at, at + 2), 16) / 255;
    return v <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4;
  };
  return 0.2126 * channel(1) + 0.7152 * channel(3) + 0.0722 * channel(5);
}

function contrast(a: string, b: string): number {
  const [high, low] = [luminance(a), luminance(b)].sort((x, y) => y - x) as [number, number];
  return (high + 0.05) / (low + 0.05);
}

describe.each(Object.entries(themes))("%s theme", (_, text) => {
  const colour = (name: string): string => new RegExp(`--${name}: (#[0-9a-f]{6})`).exec(text)?.[1] ?? "missing";
  it.each(KINDS)("%s stands out from the ground", (kind) =>
    expect(contrast(colour(kind), colour("ground"))).toBeGreaterThanOrEqual(3),
  );
  it.each(["ground", "raised"])("a field on %s is found by its border", (ground) =>
    expect(contrast(colour("strong"), colour(ground))).toBeGreaterThanOrEqual(3),
  );
  it.each(["ink", "muted", "accent", "danger"])("%s can be read", (name) =>
    expect(contrast(colour(name), colour("ground"))).toBeGreaterThanOrEqual(4.5),
  );
});
