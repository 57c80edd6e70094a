import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import { Lanes } from "./Lanes";

afterEach(cleanup);

const part = (first: number, last: number, words: string, blocker = 0) => ({
  ...{ first, last, words, blocker },
  fill: "var(--ink)",
  outlined: false,
});

const lanes = [
  { key: "7-0", pid: 7, label: "ops-console", note: "7", root: true, parts: [part(0, 29_000, "idle in transaction")] },
  {
    ...{ key: "11-0", pid: 11, label: "booking-web", note: "11", root: false },
    parts: [part(5000, 24_000, "lock on a row", 7), part(25_000, 26_000, "running")],
  },
  { key: "12-0", pid: 12, label: "gate-scan", note: "12", root: false, parts: [] },
];

function show(at: number | null = null) {
  vi.spyOn(HTMLElement.prototype, "clientWidth", "get").mockReturnValue(494);
  const [onMoment, onLane] = [vi.fn(), vi.fn()];
  const { container } = render(
    <Lanes
      title="Lanes"
      reading="one waits"
      {...{ lanes, at, onMoment, onLane }}
      from={0}
      to={30_000}
      tickMs={1000}
      now={30_000}
      gaps={[{ start: 27_000, end: 29_000 }]}
    />,
  );
  return { onMoment, onLane, container, chart: screen.getByRole("application") };
}

describe("Lanes", () => {
  it("tells what each session did for how long to those who see no picture", () => {
    show();
    const told = [...screen.getByRole("list", { name: "what each lane holds" }).children].map((li) => li.textContent);
    expect(told).toEqual([
      "ops-console 7: idle in transaction 30 s",
      "booking-web 11: lock on a row 20 s, running 2 s",
      "gate-scan 12: not sampled",
    ]);
  });

  it("is walked by key: tick by tick, ten with Shift, to both ends", async () => {
    const { onMoment, chart } = show(10_000);
    chart.focus();
    await userEvent.keyboard("{ArrowRight}{ArrowLeft}{Shift>}{ArrowRight}{/Shift}{Home}{End}");
    expect(onMoment.mock.calls.flat()).toEqual([11_000, 9000, 20_000, 0, 29_999]);
  });

  it("reads out who did what at the moment that is looked at", () => {
    const { container } = show(10_000);
    expect(container.querySelector("[aria-live]")?.textContent).toMatch(
      /ops-console: idle in transaction; booking-web: lock on a row$/,
    );
  });

  it("says where nothing was sampled instead of what would be there", () => {
    const { container } = show(29_990);
    expect(container.querySelector("[aria-live]")?.textContent).toContain("ops-console");
    expect(container.querySelectorAll("[data-gap]")).toHaveLength(1);
  });

  it("leads from a name to its tape, and from a place to its moment", () => {
    const { onLane, onMoment, chart } = show();
    fireEvent.click(screen.getByText("booking-web"));
    expect(onLane).toHaveBeenCalledExactlyOnceWith("11-0");
    expect(onMoment).not.toHaveBeenCalled();
    fireEvent.click(chart, { clientX: 190 + 150 });
    expect(onMoment).toHaveBeenCalledExactlyOnceWith(15_000);
  });

  it("has its cells in the file that is saved, though they are painted on screen", async () => {
    const saved: Blob[] = [];
    URL.createObjectURL = (blob) => `blob:${saved.push(blob as Blob)}`;
    URL.revokeObjectURL = () => undefined;
    const { container } = show();
    expect(container.querySelectorAll("svg[data-chart] rect[fill='var(--ink)']")).toHaveLength(0);
    await userEvent.click(screen.getByRole("button", { name: "Lanes: table, link, export" }));
    await userEvent.click(await screen.findByRole("menuitem", { name: "export SVG" }));
    const svg = await textOf(saved[0]);
    expect(svg.match(/<rect[^>]*fill="var\(--ink\)"/g)).toHaveLength(4); // three stretches and the line to the blocker
    expect(container.querySelectorAll("svg[data-chart] rect[fill='var(--ink)']")).toHaveLength(0);
  });
});

const textOf = (blob: Blob | undefined): Promise<string> =>
  new Promise((done) => {
    const reader = new FileReader();
    reader.onload = () => done(reader.result as string);
    reader.readAsText(blob ?? new Blob());
  });
