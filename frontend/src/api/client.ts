// The typed client. Every call resolves to its data or rejects with an ApiError.
import createClient from "openapi-fetch";

import { ApiError, toApiError } from "./problem";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];

let csrf = "";

/** The token that the last session answer gave; sent back with every change. */
export function keepCsrf(token: string): void {
  csrf = token;
}

// fetch is looked up at each call, so that tests can put their own in its place.
export const client = createClient<paths>({ baseUrl: "", fetch: (request) => globalThis.fetch(request) });
client.use({
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", csrf);
    return request;
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
  if (got.data === undefined) throw toApiError(got.response.status, got.error);
  return got.data;
}
