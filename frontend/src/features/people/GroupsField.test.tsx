import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import { GroupsField } from "./GroupsField";

afterEach(cleanup);

const field = () => screen.getByLabelText<HTMLInputElement>("groups");

const fields = () => {
  const onChange = vi.fn();
  const of = (groups: readonly string[]) => (
    <GroupsField label="groups" groups={groups} none="all" onChange={onChange} />
  );
  return { of, onChange };
};

describe("groups in a field", () => {
  it("follow what others change, and are not written back by who only passes through", async () => {
    const { of, onChange } = fields();
    const { rerender } = render(of(["north"]));
    rerender(of(["north", "south"]));
    expect(field().value).toBe("north, south");
    await userEvent.click(field());
    await userEvent.tab();
    expect(onChange).not.toHaveBeenCalled();
  });

  it("stay as they are being typed", async () => {
    const { of, onChange } = fields();
    const { rerender } = render(of(["north"]));
    await userEvent.type(field(), ", east");
    rerender(of(["north", "south"]));
    expect(field().value).toBe("north, east");
    await userEvent.keyboard("{Enter}");
    expect(onChange).toHaveBeenCalledWith(["north", "east"]);
  });
});
