import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";

import { ManyLines } from "./ManyLines";
import { Tracks } from "./Tracks";

afterEach(cleanup);

const STARTS = [0, 1000, 2000];
const common = { starts: STARTS, bucketMs: 1000, start: 0, end: 3000, now: 3000 };

describe("several servers on one chart", () => {
  it("reads the newest figure of each, and says what was not read", () => {
    render(
      <ManyLines
        {...common}
        title="load"
        say={(v) => `${v} sessions`}
        lines={[
          { name: "main", values: [1, 2, 3] },
          { name: "replica", values: [null, 5, null] },
          { name: "crew", values: [null, null, null] },
        ]}
      />,
    );
    expect(screen.getByRole("application").getAttribute("aria-label")).toBe(
      "load: main 3 sessions, replica 5 sessions, crew not read",
    );
  });

  it("is read point by point with the arrow keys", () => {
    const { container } = render(
      <ManyLines {...common} title="load" say={(v) => `${v}`} lines={[{ name: "main", values: [1, null, 3] }]} />,
    );
    const chart = screen.getByRole("application");
    const told = ["ArrowRight", "ArrowRight", "ArrowRight", "ArrowLeft"].map((key) => {
      fireEvent.keyDown(chart, { key });
      return /main .*/.exec(container.querySelector("[aria-live]")?.textContent ?? "")?.[0];
    });
    expect(told).toEqual(["main 1", "main not read", "main 3", "main not read"]);
    fireEvent.blur(chart);
    expect(container.querySelector("[aria-live]")?.textContent).toBe("");
  });

  it("tells lines apart without colour", () => {
    const { container } = render(
      <ManyLines
        {...common}
        title="load"
        say={String}
        lines={["a", "b", "c"].map((name, i) => ({ name, values: [i, i + 1, i + 2] }))}
      />,
    );
    const dashes = [...container.querySelectorAll("svg[data-chart] path")].map((p) =>
      p.getAttribute("stroke-dasharray"),
    );
    expect(new Set(dashes).size).toBe(3);
  });
});

describe("tracks of the machine", () => {
  it("are named with the newest figure of each part", () => {
    render(
      <Tracks
        {...common}
        title="Machine"
        tracks={[
          {
            name: "CPU",
            most: 1,
            say: (v) => `${v * 100}%`,
            parts: [
              { label: "user", fill: "red", values: [0.1, 0.2, 0.25] },
              { label: "system", fill: "blue", values: [null, null, null] },
            ],
          },
        ]}
      />,
    );
    expect(screen.getByRole("application").getAttribute("aria-label")).toBe("Machine: user 25%, system not read");
  });
});
