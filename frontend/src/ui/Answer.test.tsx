import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import { Answer, type Asked } from "./Answer";

afterEach(cleanup);

const asked = (more: Partial<Asked<string>>): Asked<string> => ({
  data: undefined,
  error: null,
  isPlaceholderData: false,
  dataUpdatedAt: new Date(2026, 10, 28, 9, 20, 15).getTime(),
  refetch: vi.fn(),
  ...more,
});
const show = (of: Asked<string>) =>
  render(
    <Answer of={of} what="the log of this window">
      {(data) => <p>{data}</p>}
    </Answer>,
  );

describe("an answer", () => {
  it("is waited for", () => {
    show(asked({}));
    expect(screen.getByRole("status").textContent).toBe("Reading the log of this window …");
  });

  it("is shown, and faintly while it is that of another window", () => {
    const { container, rerender } = show(asked({ data: "12 deadlocks" }));
    expect(container.querySelector(".opacity-50")).toBeNull();
    rerender(
      <Answer of={asked({ data: "12 deadlocks", isPlaceholderData: true })} what="the log">
        {(data) => <p>{data}</p>}
      </Answer>,
    );
    expect(container.querySelector("[aria-busy=true]")?.className).toContain("opacity-50");
  });

  it("that could not be had says why, and is asked for again", async () => {
    const of = asked({ error: Object.assign(new Error("The store is away."), { status: 503, remedy: "start it" }) });
    show(of);
    expect(screen.getByRole("alert").textContent).toContain(
      "The log of this window cannot be shown. The store is away.",
    );
    expect(screen.getByRole("alert").textContent).toContain("start it");
    await userEvent.click(screen.getByRole("button", { name: "try again" }));
    expect(of.refetch).toHaveBeenCalledOnce();
  });

  it("that is older says how old, and stays", () => {
    show(asked({ data: "12 deadlocks", error: new Error("Faena does not answer.") }));
    expect(screen.getByRole("alert").textContent).toContain("as of 09:20:15");
    expect(screen.getByText("12 deadlocks")).toBeTruthy();
  });

  it("that was refused is not asked for again", () => {
    show(asked({ error: Object.assign(new Error("Operators only."), { status: 403 }) }));
    expect(screen.queryByRole("button")).toBeNull();
  });
});
