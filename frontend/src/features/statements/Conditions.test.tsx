import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { RankingSearch } from "./statements.route";
import { shown } from "../../testing/shown";
import { Conditions } from "./Conditions";

afterEach(cleanup);

const view = (search: RankingSearch, onSearch = vi.fn(), filters: { name: string; query: string }[] = []) =>
  shown(<Conditions search={search} onSearch={onSearch} />, [[["filters"], filters]]);

describe("conditions of the ranking", () => {
  it("are built from a field, a sign and a value, and join those that are there", async () => {
    const onSearch = vi.fn();
    await view({ where: ["calls > 5"] }, onSearch);
    await userEvent.type(screen.getByLabelText("value of the condition"), " 10 {Enter}");
    expect(onSearch).toHaveBeenCalledWith({ where: ["calls > 5", "mean_ms >= 10"] });
    expect(screen.getByLabelText("value of the condition")).toHaveProperty("value", "");
  });

  it("are not made of nothing", async () => {
    const onSearch = vi.fn();
    await view({}, onSearch);
    await userEvent.click(screen.getByRole("button", { name: "add" }));
    expect(onSearch).not.toHaveBeenCalled();
  });

  it("of names have signs of their own", async () => {
    const onSearch = vi.fn();
    await view({}, onSearch);
    await userEvent.click(screen.getByRole("button", { name: /field of the condition/ }));
    await userEvent.click(screen.getByRole("option", { name: "user" }));
    await userEvent.type(screen.getByLabelText("value of the condition"), "report{Enter}");
    expect(onSearch).toHaveBeenCalledWith({ where: ["user = report"] });
  });

  it("are taken away by a click on their words", async () => {
    const onSearch = vi.fn();
    await view({ where: ["mean_ms >= 10", "user != report"] }, onSearch);
    await userEvent.click(screen.getByRole("button", { name: "user is not report ×" }));
    expect(onSearch).toHaveBeenCalledWith({ where: ["mean_ms >= 10"] });
  });

  it("come back whole from a saved filter, in place of those that are there", async () => {
    const onSearch = vi.fn();
    const query = "?where=mean_ms%20%3E%3D%2010&where=table%20%3D%20booking&sort=calls";
    await view({ tools: "shown" }, onSearch, [{ name: "dear ones", query }]);
    await userEvent.click(screen.getByRole("button", { name: "saved filters" }));
    await userEvent.click(await screen.findByRole("menuitem", { name: "dear ones" }));
    expect(onSearch).toHaveBeenCalledWith({
      where: ["mean_ms >= 10", "table = booking"],
      sort: "calls",
      tools: undefined,
      containing: undefined,
      starred: undefined,
    });
  });

  it("can be saved only where there is something to save", async () => {
    await view({ last: 900 });
    expect(screen.queryByLabelText("name for this filter")).toBeNull();
    cleanup();
    await view({ where: ["calls > 5"] });
    expect(screen.getByLabelText("name for this filter")).toBeTruthy();
  });
});
