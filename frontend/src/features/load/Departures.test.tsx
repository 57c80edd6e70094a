import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { Departures } from "./Departures";

afterEach(cleanup);

const usual = (change: Partial<Schemas["UsualOut"]> = {}): Schemas["UsualOut"] => ({
  days: 5,
  days_needed: 3,
  known: 1,
  zone: "Europe/Lisbon",
  running: { low: [], middle: [], high: [] },
  waiting: { low: [], middle: [], high: [] },
  departures: [],
  marks: [],
  ...change,
});

const NOON = 1_763_380_800_000;
const departure = (minutes: number): Schemas["DepartureOut"] => ({
  start: NOON + 60_000 * minutes,
  end: NOON + 60_000 * (minutes + 5),
  side: "waiting",
  load: 9,
  usual: 1,
  size: 8,
});

const view = (data: Schemas["UsualOut"], onWindow = vi.fn(), canMark = true) =>
  shown(<Departures server={3} usual={data} now={NOON + 3_600_000} canMark={canMark} onWindow={onWindow} />, []);

describe("departures from the usual", () => {
  it("say by whose clock a quiet window is quiet", async () => {
    await view(usual());
    expect(screen.getByText("within the usual").title).toContain("Europe/Lisbon");
  });

  it("say what is lacking where nothing is known", async () => {
    await view(usual({ known: 0, days: 2, departures: [] }));
    expect(screen.getByText(/not known yet: 2 of 3 earlier days alike/)).toBeTruthy();
    expect(screen.queryByText("within the usual")).toBeNull();
  });

  it("are told where a part of the window is known, and so is the part", async () => {
    await view(usual({ known: 0.4, days: 0, departures: [departure(0)] }));
    expect(screen.getByText("usual known for 40% of this window").title).toContain("3 earlier days");
    expect(screen.getByRole("button", { name: /^waiting/ })).toBeTruthy();
  });

  it("are looked at closely by a click, those beyond two by a menu", async () => {
    const onWindow = vi.fn();
    await view(usual({ departures: [departure(0), departure(20), departure(40)] }), onWindow);
    await userEvent.click(screen.getAllByRole("button", { name: /^waiting/ })[0] as HTMLElement);
    expect(onWindow).toHaveBeenCalledWith(NOON, NOON + 300_000);
    await userEvent.click(screen.getByRole("button", { name: "more departures from the usual" }));
    await userEvent.click(screen.getByRole("menuitem"));
    expect(onWindow).toHaveBeenLastCalledWith(NOON + 2_400_000, NOON + 2_700_000);
  });

  it("offer to leave an incident out only to those who may", async () => {
    await view(usual({ departures: [departure(0)] }), vi.fn(), false);
    expect(screen.queryByRole("button", { name: /^about/ })).toBeNull();
  });
});
