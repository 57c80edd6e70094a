import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it } from "vitest";

import { chooseZone, learnServerZone, zoneChoice } from "../lib/zone";
import { shown } from "../testing/shown";
import { ZoneChoice } from "./ZoneChoice";

afterEach(() => {
  cleanup();
  chooseZone("browser");
  learnServerZone(undefined);
});

describe("the zone of all times", () => {
  it("is named with its offset, and another is chosen and kept", async () => {
    learnServerZone("Asia/Kathmandu");
    await shown(<ZoneChoice at={Date.UTC(2026, 6, 1)} />);
    await userEvent.click(screen.getByRole("button", { name: /times are shown in/ }));
    await userEvent.click(screen.getByRole("option", { name: "the server's time" }));
    expect(zoneChoice()).toBe("server");
    expect(localStorage.getItem("faena-zone")).toBe("server");
    cleanup();
    await shown(<ZoneChoice at={Date.UTC(2026, 6, 1)} />);
    expect(screen.getByRole("button").textContent).toContain("Asia/Kathmandu, UTC+5:45");
  });
});
