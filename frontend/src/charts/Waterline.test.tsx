import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import { Waterline } from "./Waterline";

afterEach(cleanup);

const load = {
  start: 0,
  end: 4000,
  bucket_ms: 1000,
  starts: [0, 1000, 2000, 3000],
  gaps: [{ start: 2000, end: 3000 }],
  groups: [
    { key: "running", sessions: [1, 1, null, 3] },
    { key: "lock", sessions: [0, 4, null, 0] },
  ],
};
const show = () =>
  render(
    <Waterline
      load={load}
      cores={2}
      now={4000}
      reading="Waiting: locks"
      dimmed={["lock"]}
      onBrush={vi.fn()}
      onHold={vi.fn()}
    />,
  );

describe("Waterline", () => {
  it("is read bucket by bucket with the arrow keys, a gap being a gap", async () => {
    const { container } = show();
    const spoken = () => container.querySelector("[aria-live]")?.textContent ?? "";
    screen.getByRole("application").focus();
    await userEvent.keyboard("{ArrowRight}");
    expect(spoken()).toContain("running on CPU 1.00");
    await userEvent.keyboard("{ArrowRight}");
    expect(spoken()).toContain("row and table locks 4.00");
    await userEvent.keyboard("{ArrowRight}");
    expect(spoken()).toContain("not sampled");
    await userEvent.keyboard("{ArrowRight}{ArrowRight}{ArrowRight}");
    expect(spoken()).toContain("running on CPU 3.00");
  });

  it("draws a window with the keys, says it, and shows it on Enter", async () => {
    const onBrush = vi.fn();
    const { container } = render(
      <Waterline load={load} cores={null} now={0} reading="" dimmed={[]} onBrush={onBrush} onHold={vi.fn()} />,
    );
    screen.getByRole("application").focus();
    await userEvent.keyboard("{Enter}{ArrowRight}{ArrowRight}{Shift>}{ArrowRight}{ArrowRight}{/Shift}");
    expect(onBrush).not.toHaveBeenCalled();
    expect(container.querySelector("[aria-live]")?.textContent).toContain("Drawn:");
    await userEvent.keyboard("{Escape}{Enter}");
    expect(onBrush).not.toHaveBeenCalled();
    await userEvent.keyboard("{Shift>}{ArrowLeft}{/Shift}{Enter}");
    expect(onBrush).toHaveBeenCalledExactlyOnceWith(2000, 4000);
  });

  it("draws a window with the main button of the pointer only, and takes no click for one", () => {
    const onBrush = vi.fn();
    const { container } = render(
      <Waterline load={load} cores={null} now={0} reading="" dimmed={[]} onBrush={onBrush} onHold={vi.fn()} />,
    );
    const svg = container.querySelector<SVGSVGElement>("svg[data-chart]");
    if (!svg) throw new Error("no chart");
    svg.setPointerCapture = () => undefined;
    const drag = (button: number, to: number): void => {
      fireEvent.pointerDown(svg, { button, clientX: 34 });
      fireEvent.pointerMove(svg, { button, clientX: to });
      fireEvent.pointerUp(svg, { button, clientX: to });
    };
    drag(2, 44);
    drag(0, 35);
    expect(onBrush).not.toHaveBeenCalled();
    drag(0, 44);
    expect(onBrush).toHaveBeenCalledExactlyOnceWith(0, 4000);
  });

  it("draws gaps, dims what the trail leaves out, and keeps kinds apart by texture", () => {
    const { container } = show();
    expect(container.querySelectorAll("[data-gap]")).toHaveLength(1);
    const lock = container.querySelector("[data-layer=lock]");
    expect(lock?.getAttribute("opacity")).toBe("0.25");
    expect(lock?.getAttribute("fill")).toBe("url(#kind-lock)");
  });

  it("turns into a table with the same figures", async () => {
    show();
    await userEvent.click(screen.getByRole("button", { name: "Waterline: table, link, export" }));
    await userEvent.click(await screen.findByRole("menuitem", { name: "as table" }));
    expect(screen.getAllByRole("row")).toHaveLength(5);
    expect(screen.getByRole("columnheader", { name: "row and table locks" })).toBeTruthy();
    expect(screen.getAllByRole("row")[3]?.textContent).toContain("–");
  });

  it("holds the picture while pointed at", () => {
    const onHold = vi.fn();
    const { container } = render(
      <Waterline load={load} cores={null} now={0} reading="" dimmed={[]} onBrush={vi.fn()} onHold={onHold} />,
    );
    const svg = container.querySelector("svg[data-chart]");
    if (!svg) throw new Error("no chart");
    fireEvent.pointerEnter(svg);
    fireEvent.pointerLeave(svg);
    expect(onHold.mock.calls).toEqual([[true], [false]]);
  });
});
