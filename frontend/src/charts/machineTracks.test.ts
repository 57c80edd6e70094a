import { describe, expect, it } from "vitest";

import { machineTracks } from "./machineTracks";

describe("the machine under the load", () => {
  it("shows what was read and nothing for what was not", () => {
    const [cpu, latency] = machineTracks({ cores: 2, series: { cpu_user: [0.5, null] } });
    expect(cpu?.name).toBe("CPU of 2 cores");
    expect(cpu?.parts[0]?.values).toEqual([0.5, null]);
    expect(latency?.parts[0]?.values).toEqual([]);
    expect(cpu?.say(0.5)).toBe("50%");
  });
});
