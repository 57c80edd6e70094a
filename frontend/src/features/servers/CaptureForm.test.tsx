import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";

import { answering, json, refused } from "../../testing/answering";
import { shown } from "../../testing/shown";
import { CaptureForm } from "./CaptureForm";
import type { Capture } from "./model";

const capture = (more: Partial<Capture> = {}): Capture => ({
  ...{ name: "bookings-primary", address: "db.quay.example:5432", engine: "PostgreSQL", now: 1_790_000_000_000 },
  ...{ can: ["sample", "reach", "log_needs"], period_ms: 1000, schedule: [], slow_ms: 100, cores: 8 },
  ...{ sample_ms: 4, cost_share: 0.004, close_cost_share: 0.04, close_watch_until: null, dear_share: 0.01 },
  ...{ sample_retention_days: 30, sum_retention_days: 400, counter_retention_days: 90, execution_retention_days: 14 },
  ...{ machine_retention_days: 400, fast_share: 0.001, keep_parameters: false, log: "", log_needs: [], time_zone: "" },
  ...{ group: "bookings", storage: "san-1", machine: "vm-3" },
  log_state: {} as Capture["log_state"],
  ...more,
});
const open = (canChange = true, more: Partial<Capture> = {}) =>
  shown(<CaptureForm server={3} capture={capture(more)} canChange={canChange} />);
const field = (name: RegExp): HTMLInputElement => screen.getByRole<HTMLInputElement>("textbox", { name });
const retyped = async (name: RegExp, value: string): Promise<void> => {
  await userEvent.clear(field(name));
  await userEvent.type(field(name), value);
};

describe("how a server is captured", () => {
  it("wants a second yes where the choice is dear, and says what it would cost", async () => {
    const sent = answering([json(capture({ period_ms: 200 }))]);
    await open();
    expect(document.body.textContent).toContain("up to 0.4% of a core");
    expect(screen.queryByRole("checkbox", { name: "yes, at that cost" })).toBeNull();
    await retyped(/a sample every/, "200");
    expect(document.body.textContent).toContain("up to 2.0% of a core");
    await userEvent.click(screen.getByRole("checkbox", { name: "yes, at that cost" }));
    await userEvent.click(screen.getByRole("button", { name: "save" }));
    expect(await screen.findByText(/^saved; the collector follows/)).toBeTruthy();
    expect(sent).toHaveLength(1);
    expect(sent[0]).toMatchObject({ method: "PUT", path: "/api/v1/servers/3/capture" });
    expect(sent[0]?.body).toMatchObject({ period_ms: 200, confirmed: true, group: "bookings", fast_share: 0.001 });
  });

  it("keeps what was typed when it is refused, and marks the field", async () => {
    answering([refused("keep samples for 1 to 400 days", "sample_retention_days")]);
    await open();
    await retyped(/keep samples for/, "4000");
    await userEvent.click(screen.getByRole("button", { name: "save" }));
    expect((await screen.findByRole("alert")).textContent).toContain("keep samples for 1 to 400 days");
    expect(field(/keep samples for/).value).toBe("4000");
    expect(field(/keep samples for/).getAttribute("aria-invalid")).toBe("true");
    expect(field(/a sample every/).getAttribute("aria-invalid")).toBe("false");
  });

  it("takes a share in percent, and no number of cores as not known", async () => {
    const sent = answering([json(capture())]);
    await open();
    expect(field(/of faster executions/).value).toBe("0.1");
    await retyped(/of faster executions/, "2.5");
    await userEvent.clear(field(/cores of its machine/));
    await userEvent.click(screen.getByRole("button", { name: "save" }));
    await screen.findByText(/^saved/);
    expect(sent[0]?.body).toMatchObject({ fast_share: 0.025, cores: null });
  });

  it("is not measured yet, or comes from files, and says so; who may not change it cannot", async () => {
    await open(false, { sample_ms: null });
    expect(document.body.textContent).toContain("What it costs is not measured yet");
    expect(document.body.textContent).toContain("Admins can change this.");
    expect(field(/keep samples for/).matches(":disabled")).toBe(true);
    expect(screen.getByRole<HTMLButtonElement>("button", { name: "save" }).disabled).toBe(true);
    await open(false, { can: ["files"], sample_ms: null });
    expect(document.body.textContent).toContain("its samples come from files");
  });
});
