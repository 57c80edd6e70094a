import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, expect, it, vi } from "vitest";

import { shown } from "../testing/shown";
import { BrokenView } from "./BrokenView";

afterEach(cleanup);

it("says what failed, that nothing is lost, and leads on", async () => {
  const reset = vi.fn();
  await shown(<BrokenView error={new Error("nothing to divide by")} reset={reset} />);
  expect(screen.getByRole("alert").textContent).toContain("“nothing to divide by”");
  expect(screen.getByRole("alert").textContent).toContain("All that is recorded is unharmed");
  expect(screen.getByRole("link", { name: "to the servers" }).getAttribute("href")).toBe("/");
  await userEvent.click(screen.getByRole("button", { name: "try again" }));
  expect(reset).toHaveBeenCalledOnce();
});

it("stands in for a view that throws, on the router's word", async () => {
  vi.spyOn(console, "error").mockReturnValue(undefined);
  const Breaking = (): never => {
    throw new Error("no such figure");
  };
  await shown(<Breaking />, [], BrokenView);
  expect(screen.getByRole("alert").textContent).toContain("no such figure");
  vi.restoreAllMocks();
});
