// @vitest-environment jsdom
import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import { Trail } from "./Trail";

afterEach(cleanup);

describe("Trail", () => {
  it("shows each step in words and takes back the one that is clicked", async () => {
    const onTrail = vi.fn();
    render(
      <Trail
        trail={["kind:lock", "!program:gate-scan"]}
        words={(_, value) => (value === "lock" ? "row and table locks" : value)}
        onTrail={onTrail}
      />,
    );
    expect(screen.getByText("wait kind: row and table locks")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "remove program is not: gate-scan" }));
    expect(onTrail).toHaveBeenCalledWith(["kind:lock"]);
    await userEvent.click(screen.getByRole("button", { name: "all load" }));
    expect(onTrail).toHaveBeenLastCalledWith([]);
  });

  it("says which steps cannot narrow the view that is shown", () => {
    render(
      <Trail
        trail={["program:gate-scan", "user:web"]}
        words={(_, value) => value}
        onTrail={() => undefined}
        narrows={["user", "database"]}
      />,
    );
    expect(screen.getByText("program: gate-scan").parentElement?.textContent).toContain("does not apply");
    expect(screen.getByText("user: web").parentElement?.textContent).not.toContain("does not apply");
  });
});
