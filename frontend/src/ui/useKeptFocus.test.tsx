import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { afterEach, describe, expect, it } from "vitest";

import { useKeptFocus } from "./useKeptFocus";

afterEach(cleanup);

const List = () => {
  const root = useKeptFocus<HTMLDivElement>("button");
  const [names, setNames] = useState(["a", "b", "c"]);
  return (
    <>
      <div ref={root} tabIndex={-1} data-testid="list">
        {names.map((name) => (
          <button key={name} type="button" onClick={() => setNames(names.filter((one) => one !== name))}>
            {name}
          </button>
        ))}
      </div>
      <button type="button" onClick={() => setNames(["z"])}>
        others
      </button>
    </>
  );
};

describe("focus", () => {
  it("goes to the neighbour when what had it is gone, and to the list when nothing is left", async () => {
    render(<List />);
    screen.getByRole("button", { name: "b" }).focus();
    await userEvent.keyboard("{Enter}");
    expect(document.activeElement?.textContent).toBe("c");
    await userEvent.keyboard("{Enter}");
    expect(document.activeElement?.textContent).toBe("a");
    await userEvent.keyboard("{Enter}");
    expect(document.activeElement).toBe(screen.getByTestId("list"));
  });

  it("stays where the reader took it", async () => {
    render(<List />);
    screen.getByRole("button", { name: "b" }).focus();
    await userEvent.click(screen.getByRole("button", { name: "others" }));
    expect(document.activeElement?.textContent).toBe("others");
  });
});
