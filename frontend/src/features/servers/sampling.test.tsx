import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { CloseWatch } from "./CloseWatch";
import { Schedule } from "./Schedule";
import type { ScheduleSpan } from "./model";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const NOW = Date.UTC(2026, 10, 28, 12);
const capture = (more: Partial<Schemas["CaptureOut"]> = {}) =>
  ({ close_watch_until: null, close_cost_share: 0.004, dear_share: 0.02, now: NOW, ...more }) as Schemas["CaptureOut"];
const watch = (more?: Partial<Schemas["CaptureOut"]>, canAct = true) => (
  <CloseWatch server={3} capture={capture(more)} canAct={canAct} />
);

describe("close watch", () => {
  it("asks to confirm only where it is dear, and sends what was confirmed", async () => {
    const bodies: unknown[] = [];
    vi.stubGlobal(
      "fetch",
      vi.fn(async (request: Request) => {
        bodies.push(await request.json());
        return new Response("{}", { headers: { "Content-Type": "application/json" } });
      }),
    );
    await shown(watch());
    expect(screen.queryByRole("checkbox")).toBeNull();
    cleanup();
    await shown(watch({ close_cost_share: 0.3 }));
    await userEvent.clear(screen.getByRole("textbox", { name: "minutes of close watch" }));
    await userEvent.type(screen.getByRole("textbox", { name: "minutes of close watch" }), "5");
    await userEvent.click(screen.getByRole("checkbox", { name: "yes, at that cost" }));
    await userEvent.click(screen.getByRole("button", { name: "watch closely" }));
    expect(bodies).toEqual([{ minutes: 5, confirmed: true }]);
  });

  it("keeps asking once it asked, though the measured cost falls again", async () => {
    const Falling = () => {
      const [cost, setCost] = useState(0.3);
      return (
        <>
          <button onClick={() => setCost(0.001)}>measured anew</button>
          {watch({ close_cost_share: cost })}
        </>
      );
    };
    await shown(<Falling />);
    await userEvent.click(screen.getByRole("button", { name: "measured anew" }));
    expect(screen.getByRole("checkbox", { name: "yes, at that cost" })).toBeTruthy();
  });

  it("says how long it still lasts, and ends by one press", async () => {
    vi.stubGlobal("fetch", vi.fn().mockRejectedValue(new TypeError("network")));
    await shown(watch({ close_watch_until: NOW + 90_000 }));
    expect(screen.getByText(/watched closely until .*, 1 min 30 s more/)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "end it now" }));
    expect(await screen.findByText("That was not done.")).toBeTruthy();
    expect(screen.getByRole("button", { name: "end it now" })).toBeTruthy(); // it may still run
  });

  it("is not offered to one who may only look, who is told why", async () => {
    await shown(watch({}, false));
    expect(screen.getByRole<HTMLButtonElement>("button", { name: "watch closely" }).disabled).toBe(true);
    expect(screen.getByText("Operators and admins can start it.")).toBeTruthy();
  });
});

describe("the spans of the week in which a server is sampled", () => {
  const Kept = ({ seen }: { readonly seen: (spans: readonly ScheduleSpan[]) => void }) => {
    const [spans, setSpans] = useState<readonly ScheduleSpan[]>([]);
    const keep = (next: ScheduleSpan[]) => {
      setSpans(next);
      seen(next);
    };
    return <Schedule spans={spans} disabled={false} wrong={false} onSpans={keep} />;
  };

  it("are none at first, which means always; days and edges are changed one by one", async () => {
    const seen = vi.fn();
    await shown(<Kept seen={seen} />);
    expect(screen.getByText("sampled always")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "span" }));
    expect(screen.getByText("sampled only in these spans, in UTC")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Mon" }));
    await userEvent.click(screen.getByRole("button", { name: "Sun" }));
    await userEvent.clear(screen.getByRole("textbox", { name: "to" }));
    await userEvent.type(screen.getByRole("textbox", { name: "to" }), "22:30");
    expect(seen).toHaveBeenLastCalledWith([{ days: [1, 2, 3, 4, 6], from: "08:00", to: "22:30" }]);
    await userEvent.click(screen.getByRole("button", { name: "remove this span" }));
    expect(seen).toHaveBeenLastCalledWith([]);
  });
});
