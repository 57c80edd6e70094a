import { expect, test } from "vitest";

import { type Collector, every, howItDoes } from "./model";

const WELL: Collector = {
  holder: "host:/state",
  version: "0.1.0+1",
  seen: 1000,
  silent_ms: 500,
  alive: true,
  standing_by: false,
  started: 0,
  waiting: 0,
  dropped: 0,
  disk_full: false,
  store_away_since: null,
  refused: 0,
  refused_latest: [],
  jobs: [],
  servers: [
    { server_id: 1, name: "a", state: "watching", message: "", last_sample: 1, took_ms: 1, missed: 0 },
    { server_id: 2, name: "b", state: "watching", message: "", last_sample: 1, took_ms: 1, missed: 0 },
  ],
};

test("what matters most is said first", () => {
  expect(howItDoes(WELL, 0)).toBe("well");
  expect(howItDoes({ ...WELL, servers: [] }, 0)).toContain("no server to watch");
  const away = WELL.servers.map((one, i) => (i ? { ...one, state: "away" } : one));
  expect(howItDoes({ ...WELL, servers: away }, 0)).toContain("1 of 2 servers");
  expect(howItDoes({ ...WELL, store_away_since: 1000 }, 31_000)).toContain("since 30 s");
  expect(howItDoes({ ...WELL, store_away_since: 1000, disk_full: true }, 0)).toContain(
    "disk is full or refuses writes",
  );
  expect(howItDoes({ ...WELL, standing_by: true, disk_full: true }, 0)).toContain("upgrade of the store");
  expect(howItDoes({ ...WELL, alive: false, silent_ms: 65_000, standing_by: true }, 0)).toContain("silent for 1 min");
});

test("periods", () => {
  expect([every(10), every(60), every(600)]).toEqual(["10 s", "60 s", "10 min"]);
});
