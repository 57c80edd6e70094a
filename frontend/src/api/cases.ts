import { keepPreviousData, queryOptions } from "@tanstack/react-query";

import { ask, client, type Schemas } from "./client";

export type Case = Schemas["CaseOut"];
export type CasePage = Schemas["CasePageOut"];
export type Kept = Schemas["EvidenceOut"];
export type About = Schemas["About"];

const AGAIN_MS = 20_000;

export const MOST_CASES = 500;

/** Cases over all servers in one state, or all; those changed last, at most MOST_CASES. */
export const casesQuery = (state: string) =>
  queryOptions({
    queryKey: ["cases", state],
    queryFn: ({ signal }) =>
      ask(
        client.GET("/api/v1/cases", { params: { query: { state: state ? [state] : [], limit: MOST_CASES } }, signal }),
      ),
    meta: { againMs: AGAIN_MS },
    placeholderData: keepPreviousData,
  });

/** Cases about one thing of a server; with an empty key, about any of its kind. */
export const casesAboutQuery = (server: number, about: About, key: string) =>
  queryOptions({
    queryKey: ["cases", "about", server, about, key],
    queryFn: ({ signal }) => ask(client.GET("/api/v1/cases", { params: { query: { server, about, key } }, signal })),
    meta: { againMs: 3 * AGAIN_MS },
  });

export const caseQuery = (id: number) =>
  queryOptions({
    queryKey: ["cases", "one", id],
    queryFn: ({ signal }) => ask(client.GET("/api/v1/cases/{case_id}", { params: { path: { case_id: id } }, signal })),
    meta: { againMs: AGAIN_MS },
  });

const LAST = "faena-case"; // the case that something was kept in last, in this tab

export const lastCase = (): string | null => sessionStorage.getItem(LAST);

const asLast = (kept: Case): Case => {
  sessionStorage.setItem(LAST, String(kept.id));
  return kept;
};

/** A new case with something in it, or empty. What is kept next goes there. */
export const makeCase = async (body: Partial<Schemas["CaseBody"]>): Promise<Case> =>
  asLast(await ask(client.POST("/api/v1/cases", { body: { title: "", evidence: [], links: [], ...body } })));

/** Evidence at the end of a case. */
export const keepIn = async (id: number, body: Partial<Schemas["KeepBody"]>): Promise<Case> =>
  asLast(
    await ask(
      client.POST("/api/v1/cases/{case_id}/evidence", {
        params: { path: { case_id: id } },
        body: { evidence: [], links: [], ...body },
      }),
    ),
  );
