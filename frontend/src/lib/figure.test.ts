import fc from "fast-check";
import { describe, expect, it } from "vitest";

import { changeWords, figure } from "./figure";

describe("figures with their unit", () => {
  it("always carry one, and a dash stands for what is not known", () => {
    expect(figure(null, "ms")).toBe("–");
    expect(figure(1234, "per_s")).toBe("1234/s");
    expect(figure(0.456, "share")).toBe("46%");
    expect(figure(2048, "bytes_per_s")).toBe("2.00 KiB/s");
    expect(figure(3.2, "ms")).toBe("3.2 ms");
    expect(figure(17, "something new")).toBe("17");
  });

  it("say a change as people do", () => {
    expect(changeWords(3.24, 10)).toBe("3.2 times");
    expect(changeWords(0.55, -1)).toBe("−45%");
    expect(changeWords(1.01, 0.1)).toBe("same");
    expect(changeWords(null, 4)).toBe("was none");
    expect(changeWords(null, null)).toBe("");
    fc.assert(fc.property(fc.double({ min: 0, max: 1e6, noNaN: true }), (r) => changeWords(r, 1).length > 0));
  });
});
