import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import { ChartFrame } from "./ChartFrame";
import { useSize } from "./useSize";

const Drawn = () => {
  const [ref, size] = useSize<HTMLDivElement>();
  return (
    <ChartFrame title="Load" reading="all is well" table={() => ({ columns: ["at"], rows: [[1]] })}>
      <div ref={ref}>{size.width} px wide</div>
    </ChartFrame>
  );
};

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

describe("a chart", () => {
  it("is drawn again in its size when one comes back from its table", async () => {
    vi.spyOn(HTMLElement.prototype, "clientWidth", "get").mockReturnValue(640);
    render(<Drawn />);
    expect(screen.getByText("640 px wide")).toBeTruthy();
    const menu = screen.getByRole("button", { name: "Load: table, link, export" });
    await userEvent.click(menu);
    await userEvent.click(screen.getByRole("menuitem", { name: "as table" }));
    expect(screen.getByRole("region", { name: "the same figures as a table" })).toBeTruthy();
    vi.spyOn(HTMLElement.prototype, "clientWidth", "get").mockReturnValue(800);
    await userEvent.click(menu);
    await userEvent.click(screen.getByRole("menuitem", { name: "as chart" }));
    expect(screen.getByText("800 px wide")).toBeTruthy();
  });

  it("says that its link was copied, or that it could not be", async () => {
    render(<Drawn />);
    const copy = async () => {
      await userEvent.click(screen.getByRole("button", { name: "Load: table, link, export" }));
      await userEvent.click(screen.getByRole("menuitem", { name: "copy link" }));
    };
    const user = userEvent.setup(); // brings a clipboard
    await copy();
    expect(await screen.findByText("link copied")).toBeTruthy();
    expect(await user.paste().then(() => navigator.clipboard.readText())).toMatch(/from=\d+&to=\d+/);
    vi.spyOn(navigator.clipboard, "writeText").mockRejectedValue(new Error("not allowed"));
    await copy();
    expect(await screen.findByText(/does not let us copy/)).toBeTruthy();
  });
});
