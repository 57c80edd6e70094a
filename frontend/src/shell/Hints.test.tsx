import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it } from "vitest";

import { Hints } from "./Hints";

beforeEach(() => localStorage.clear());
afterEach(cleanup);

describe("hints on the demo", () => {
  it("stand on a screen until they are closed, also the next time", () => {
    render(<Hints to="/servers/$server/load" />);
    expect(screen.getByRole("complementary").textContent).toContain("below it they wait");
    fireEvent.click(screen.getByRole("button", { name: "close this hint" }));
    expect(screen.queryByRole("complementary")).toBeNull();
    cleanup();
    render(<Hints to="/servers/$server/load" />);
    expect(screen.queryByRole("complementary")).toBeNull();
    cleanup();
    render(<Hints to="/alerts" />);
    expect(screen.getByRole("complementary")).toBeTruthy();
  });

  it("are switched off all at once", () => {
    render(<Hints to="/alerts" />);
    fireEvent.click(screen.getByRole("button", { name: "no more hints" }));
    cleanup();
    render(<Hints to="/cases" />);
    expect(screen.queryByRole("complementary")).toBeNull();
  });

  it("are none where there is nothing to say", () => {
    render(<Hints to="/people" />);
    expect(screen.queryByRole("complementary")).toBeNull();
  });
});
