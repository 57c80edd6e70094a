import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";

import { Lines } from "./Lines";

afterEach(cleanup);

const show = (values: (number | null)[]): string => {
  const starts = values.map((_, i) => i * 1000);
  render(
    <Lines
      title="rows per call"
      starts={starts}
      bucketMs={1000}
      start={0}
      end={values.length * 1000}
      values={values}
      now={0}
      say={(v) => `${v} rows`}
    />,
  );
  return screen.getByRole("application").getAttribute("aria-label") ?? "";
};

describe("Lines", () => {
  it("says the last and the largest, and never a figure that was not there", () => {
    expect(show([1, 5, null, 2])).toBe("rows per call: last 2 rows, most 5 rows");
  });

  it("says zero where all is zero", () => {
    expect(show([0, 0])).toBe("rows per call: last 0 rows, most 0 rows");
  });

  it("says that nothing was counted", () => {
    expect(show([null, null])).toBe("rows per call: not counted in this window");
  });

  it("is read point by point with the arrow keys, a gap being a gap", () => {
    show([1, null, 4]);
    const chart = screen.getByRole("application");
    const told = ["ArrowLeft", "ArrowLeft", "ArrowLeft"].map((key) => {
      fireEvent.keyDown(chart, { key });
      return (document.querySelector("[aria-live]")?.textContent ?? "").slice(9);
    });
    expect(told.map((one) => one.replace(/^.*\d\d:\d\d:\d\d: /, ""))).toEqual(["4 rows", "not counted", "1 rows"]);
  });

  it("draws a lonely point between gaps as a dot", () => {
    show([null, 3, null, 4, 4]);
    expect(document.querySelectorAll("svg[data-chart] circle")).toHaveLength(1);
  });
});
