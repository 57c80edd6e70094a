import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import { CopyButton } from "./CopyButton";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

describe("copying a text", () => {
  it("says that it was done", async () => {
    const user = userEvent.setup();
    render(<CopyButton text="SELECT 1" label="copy the text" />);
    expect(screen.getByRole("status").textContent).toBe("");
    await user.click(screen.getByRole("button", { name: "copy the text" }));
    expect(screen.getByRole("status").textContent).toBe("copied");
    expect(await navigator.clipboard.readText()).toBe("SELECT 1");
  });

  it("says what to do where the browser does not allow it", async () => {
    const user = userEvent.setup();
    vi.spyOn(navigator.clipboard, "writeText").mockRejectedValue(new Error("not allowed"));
    render(<CopyButton text="SELECT 1" label="copy the text" />);
    await user.click(screen.getByRole("button", { name: "copy the text" }));
    expect(screen.getByRole("status").textContent).toContain("mark the text and copy it");
  });
});
