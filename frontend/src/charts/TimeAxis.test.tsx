import { render } from "@testing-library/react";
import { describe, expect, it } from "vitest";

import { Changes, TimeAxis } from "./TimeAxis";

const START = 1_795_000_000_000;
const change = (seconds: number, detail: string) => ({ at: START + 1000 * seconds, detail });

const drawn = (...changes: { at: number; detail: string }[]) =>
  [
    ...render(
      <Changes value={changes}>
        <svg>
          <TimeAxis from={START} to={START + 600_000} width={600} y={100} now={START} />
        </svg>
      </Changes>,
    ).container.querySelectorAll("[data-change]"),
  ].map((one) => [one.getAttribute("d")?.split("h")[0], one.textContent]);

describe("changes on the axis of a chart", () => {
  it("points at the moment of each, and leaves out what lies outside of the window", () => {
    expect(drawn(change(-1, "before"), change(300, "work_mem: 4MB → 8MB"), change(600, "after"))).toEqual([
      ["M296 100", "changed: work_mem: 4MB → 8MB"],
    ]);
  });

  it("tells of several at one place together", () => {
    expect(drawn(change(300, "one"), change(303, "two"), change(330, "three"))).toEqual([
      ["M296 100", "changed: one; two"],
      ["M326 100", "changed: three"],
    ]);
  });

  it("has none where nothing changed", () => {
    expect(drawn()).toEqual([]);
  });
});
