import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import { SearchField } from "./SearchField";

afterEach(cleanup);

describe("a field of words to look for", () => {
  it("says what it was asked at Enter or when left, once", async () => {
    const onChange = vi.fn();
    render(<SearchField label="find" placeholder="" value="" onChange={onChange} />);
    await userEvent.type(screen.getByRole("searchbox"), "berth{Enter}");
    expect(onChange.mock.calls).toEqual([["berth"]]);
  });

  it("follows what counts: after Back it says what is shown", async () => {
    const { rerender } = render(<SearchField label="find" placeholder="" value="berth" onChange={() => undefined} />);
    await userEvent.type(screen.getByRole("searchbox"), "s");
    rerender(<SearchField label="find" placeholder="" value="" onChange={() => undefined} />);
    expect(screen.getByRole("searchbox")).toHaveProperty("value", "");
  });
});
