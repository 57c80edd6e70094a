import { queryOptions } from "@tanstack/react-query";

import { ask, client, type Schemas } from "../../api/client";

export type Token = Schemas["ApiTokenOut"];

export const tokensQuery = queryOptions({
  queryKey: ["tokens"],
  queryFn: ({ signal }) => ask(client.GET("/api/v1/tokens", { signal })),
  meta: { againMs: 20_000 },
});

/** What of the API's own description is shown. */
export interface Described {
  readonly paths: Readonly<Record<string, Readonly<Record<string, Operation>>>>;
}

export interface Operation {
  readonly operationId: string;
  readonly summary?: string;
  readonly description?: string;
  readonly tags?: readonly string[];
  readonly parameters?: readonly Parameter[];
  readonly requestBody?: { readonly content: Readonly<Record<string, { readonly schema?: Shape }>> };
  readonly responses: Readonly<Record<string, { readonly content?: Readonly<Record<string, { schema?: Shape }>> }>>;
}

export interface Parameter {
  readonly name: string;
  readonly in: string;
  readonly required?: boolean;
  readonly description?: string;
  readonly schema?: Shape;
}

export interface Shape {
  readonly $ref?: string;
  readonly type?: string;
  readonly title?: string;
  readonly items?: Shape;
  readonly anyOf?: readonly Shape[];
  readonly enum?: readonly unknown[];
}

export const DESCRIPTION = "/api/v1/openapi.json";

export const descriptionQuery = queryOptions({
  queryKey: ["description"],
  queryFn: async ({ signal }) => {
    const answer = await fetch(DESCRIPTION, { signal });
    if (!answer.ok) throw new Error(`The description of the API cannot be read: ${answer.status}`);
    return (await answer.json()) as Described;
  },
  staleTime: Infinity,
});
