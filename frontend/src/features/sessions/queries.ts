import { queryOptions, replaceEqualDeep } from "@tanstack/react-query";

import { type Schemas, ask, client } from "../../api/client";
import { refreshMs, windowQuery } from "../../api/window";
import type { WindowSpec } from "../../lib/view";

const LIVE_MS = 1000; // as often as servers are sampled

/** Everybody at the newest tick. */
export const nowQuery = (server: number, pick: readonly string[] = []) =>
  queryOptions({
    queryKey: ["sessions-now", server, pick],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/sessions/now", {
          params: { path: { server_id: server }, query: { pick: [...pick] } },
          signal,
        }),
      ),
    meta: { againMs: LIVE_MS },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });

/** Sessions of a window that match. */
export const findQuery = (
  server: number,
  spec: WindowSpec,
  containing: string,
  errors: boolean,
  pick: readonly string[],
) =>
  queryOptions({
    queryKey: ["sessions", server, spec, containing, errors, pick],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/sessions", {
          params: { path: { server_id: server }, query: { ...windowQuery(spec), containing, errors, pick: [...pick] } },
          signal,
        }),
      ),
    meta: { againMs: refreshMs(spec) === false ? false : 5000 },
    placeholderData: (old, query) => (query?.queryKey[1] === server ? old : undefined),
  });

const FEW_STRETCHES = 2000;

/** Comparing an answer piece by piece with the one before spares drawing what is alike; of thousands it costs more than that. */
const sharedIfFew = (before: unknown, fresh: unknown): unknown =>
  (fresh as Schemas["TapeOut"]).stretches.length > FEW_STRETCHES ? fresh : replaceEqualDeep(before, fresh);

/** One session second by second. */
export const tapeQuery = (server: number, pid: number, started: number | undefined, spec: WindowSpec) =>
  queryOptions({
    queryKey: ["tape", server, pid, started, spec],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/sessions/{pid}/tape", {
          params: {
            path: { server_id: server, pid },
            query: { ...windowQuery(spec), ...(started === undefined ? {} : { started }) },
          },
          signal,
        }),
      ),
    structuralSharing: sharedIfFew,
    meta: { againMs: refreshMs(spec) },
    retry: false,
    placeholderData: (old, query) => (query?.queryKey[2] === pid ? old : undefined),
  });

/** What was ended on this server, by whom and why. */
export const endedQuery = (server: number) =>
  queryOptions({
    queryKey: ["ended", server],
    queryFn: ({ signal }) =>
      ask(client.GET("/api/v1/servers/{server_id}/ended", { params: { path: { server_id: server } }, signal })),
  });

/** The newest recordings. */
export const recordingsQuery = (server: number) =>
  queryOptions({
    queryKey: ["recordings", server],
    queryFn: ({ signal }) =>
      ask(client.GET("/api/v1/servers/{server_id}/recordings", { params: { path: { server_id: server } }, signal })),
  });

/** What a recording holds so far. */
export const recordingQuery = (server: number, id: number) =>
  queryOptions({
    queryKey: ["recording", server, id],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/servers/{server_id}/recordings/{recording_id}", {
          params: { path: { server_id: server, recording_id: id } },
          signal,
        }),
      ),
    meta: {
      againMs: (data) => {
        const found = data as Schemas["RecordedOut"] | undefined;
        return found && found.now < found.recording.end ? 2000 : false;
      },
    },
  });
