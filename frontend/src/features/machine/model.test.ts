import { describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { coresToTry, machineTracks } from "./model";

describe("the machine", () => {
  it("offers other numbers of cores, none twice", () => {
    expect(coresToTry(8)).toEqual([4, 8, 12, 16]);
    expect(coresToTry(1)).toEqual([1, 2]);
  });

  it("shows what was read and nothing for what was not", () => {
    const machine = { cores: 2, series: { cpu_user: [0.5, null] } } as unknown as Schemas["MachineOut"];
    const [cpu, latency] = machineTracks(machine);
    expect(cpu?.name).toBe("CPU of 2 cores");
    expect(cpu?.parts[0]?.values).toEqual([0.5, null]);
    expect(latency?.parts[0]?.values).toEqual([]);
    expect(cpu?.say(0.5)).toBe("50%");
  });
});
