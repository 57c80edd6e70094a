// The typed client. Every call resolves to its data or rejects with an ApiError.
import createClient from "openapi-fetch";

import { idleSeconds } from "../lib/idle";
import { learnTime } from "../lib/time";
import { ApiError, toApiError } from "./problem";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];

let csrf = "";

/** The token that the last session answer gave; sent back with every change. */
export function keepCsrf(token: string): void {
  csrf = token;
}

/** For requests that do not go through the typed client. */
export const csrfToken = (): string => csrf;

// fetch is looked up at each call, so that tests can put their own in its place.
let send = (request: Request): Promise<Response> => globalThis.fetch(request);

/** From now on requests go out through this, which may put several into one call. */
export function sendThrough(other: typeof send): void {
  send = other;
}

export const client = createClient<paths>({ baseUrl: window.location.origin, fetch: (request) => send(request) });
client.use({
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", csrf);
    request.headers.set("X-Idle-Seconds", String(idleSeconds()));
    return request;
  },
  onResponse({ response }) {
    const date = response.headers.get("Date");
    if (date) learnTime(Date.parse(date));
  },
});

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** Unwraps an answer; a network failure becomes an ApiError of status 0. */
export async function ask<T>(answer: Promise<Answer<T>>): Promise<T> {
  let got: Answer<T>;
  try {
    got = await answer;
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new ApiError(0, "urn:faena:unreachable", "Faena does not answer", "Its web server cannot be reached.");
  }
  const empty = got.response.status === 204;
  if (!got.response.ok || (got.data === undefined && !empty)) throw toApiError(got.response.status, got.error);
  return got.data as T;
}
