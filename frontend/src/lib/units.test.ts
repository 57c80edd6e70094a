import { describe, expect, it } from "vitest";
import fc from "fast-check";

import { bytes, count, counted, duration, sessions, share } from "./units";

describe("figures as people say them", () => {
  it.each([
    [0, "0 ms"],
    [0.0014, "1.4 µs"],
    [0.45, "0.45 ms"],
    [480.4, "480 ms"],
    [1250, "1.25 s"],
    [200_000, "3 min 20 s"],
    [3_600_000, "1 h"],
    [90_000_000, "1 d 1 h"],
    [999.6, "1 s"],
    [59_970, "1 min"],
    [-1500, "−1.5 s"],
  ])("%d ms is %s", (ms, text) => expect(duration(ms)).toBe(text));

  it.each([
    [0, "0"],
    [999, "999"],
    [9999, "9999"],
    [12_345, "12.3 k"],
    [4_560_000, "4.56 M"],
    [0.25, "0.25"],
  ])("%d is counted as %s", (value, text) => expect(count(value)).toBe(text));

  it("says bytes in binary multiples", () => {
    expect(bytes(512)).toBe("512 B");
    expect(bytes(8192)).toBe("8.00 KiB");
    expect(bytes(999.9 * 1024)).toBe("1000 KiB");
    expect(bytes(26 * 1024 ** 3)).toBe("26.0 GiB");
  });

  it("has one and many", () => {
    expect([1, 0, 12_345].map((n) => counted(n, "call"))).toEqual(["1 call", "0 calls", "12.3 k calls"]);
  });

  it("gives no more digits to sessions than there are", () => {
    expect([0.1234, 12.345, 123.4].map(sessions)).toEqual(["0.12", "12.3", "123"]);
    expect([0, 0.004, 0.005].map(sessions)).toEqual(["0.00", "<0.01", "0.01"]);
  });

  it("never throws and never says NaN", () => {
    fc.assert(
      fc.property(fc.double({ min: 0, max: 1e15, noNaN: true }), (value) => {
        for (const say of [duration, count, bytes, sessions]) expect(say(value)).not.toMatch(/NaN|undefined|e\+/);
        expect(duration(value)).not.toMatch(/^(1000 ms|60 s|60 min)/);
      }),
    );
  });
});

describe("a share is printed with its margin", () => {
  it.each([
    [0.881, 0.002, "88%"],
    [0.881, 0.06, "88 ±6%"],
    [0.58, 0.26, "60 ±26%"],
    [0.001, 0.001, "<1%"],
    [0, 0.03, "0 ±3%"],
  ])("%d ±%d is %s", (value, margin, text) => expect(share(value, margin)).toBe(text));
});
