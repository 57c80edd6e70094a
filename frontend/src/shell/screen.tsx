// What a screen's route file is made of: its own parameters, its place in the navigation, and a page loaded on demand.
import { useQuery } from "@tanstack/react-query";
import { useNavigate, useParams, useRouteContext, useSearch } from "@tanstack/react-router";
import type { ComponentType } from "react";

import { serversQuery } from "../api/queries";
import type { DimensionName } from "../lib/dimensions";
import { type Readers, type SearchOf, readWith } from "../lib/search";
import { type Base, isBase, mergeSearch, readBase } from "../lib/view";

/** Where a screen stands in the navigation. Places and their views follow the order in which screens are registered. */
export interface Nav {
  readonly place: string; // "" for a screen over all servers
  readonly label: string;
  readonly key?: string; // after g
  readonly words?: string; // in the list of keys, where the label alone says too little
  readonly admin?: boolean;
}

declare module "@tanstack/react-router" {
  interface StaticDataRouteOption {
    readonly title?: string;
    readonly nav?: Nav;
    readonly place?: string; // of a screen that one gets to from another of that place
    /** Dimensions of the trail that narrow it, or "itself" where it shows the trail by itself. Nothing: none does. */
    readonly narrows?: readonly DimensionName[] | "itself";
  }
}

/** A screen's own parameters: read from the address, and left behind when one goes elsewhere. */
export function own<R extends Readers>(readers: R) {
  const read = (raw: Record<string, unknown>): SearchOf<R> => readWith(readers, raw);
  return {
    validateSearch: read,
    search: {
      middlewares: [
        <S,>({ search, next }: { search: S; next: (search: S) => S }): S => {
          const there = next(search) as Record<string, unknown>;
          const base = Object.fromEntries(Object.entries(there).filter(([name]) => isBase(name)));
          return { ...base, ...read(there) } as S;
        },
      ],
    },
  };
}

type Loaded<P> = ComponentType<P> & { readonly preload?: () => Promise<void> | undefined };

/** A route's component out of a page and what it needs; the page is loaded before it is gone to.
 *
 * Of another server, case or statement the page is another, too: what was being written on one is not of the next.
 * `useMore`: of what else it is. */
export function showing<P extends object>(Page: Loaded<P>, useProps: () => NoInfer<P>, useMore = nothing) {
  const Screen = () => <Page key={`${usePath()} ${useMore()}`} {...useProps()} />;
  return Object.assign(Screen, preloading(Page));
}

const nothing = (): string => "";

/** What makes a component load a page before it is gone to. */
export const preloading = <P,>(Page: Loaded<P>) => ({ preload: () => Page.preload?.() });

/** The parts of the path that have a name: which server, which case. */
const useParts = (): Partial<Record<string, string>> =>
  (useParams as (options: { strict: false }) => Partial<Record<string, string>>)({ strict: false });

/** A part of the path, empty where the path has none of that name. */
export const useParam = (name: string): string => useParts()[name] ?? "";

/** All parts of the path as one text. */
export const usePath = (): string => Object.values(useParts()).join("/");

/** Of which server, and who looks. */
export function useServer(): { readonly server: number; readonly role: string } {
  return { server: Number(useParam("server")), role: useRole() };
}

/** The role of whoever is signed in, empty for nobody. On servers of some groups a viewer is an operator. */
export function useRole(): string {
  const session = useRouteContext({ strict: false }).session;
  const here = Number(useParam("server"));
  const asks = session?.role === "viewer" && session.operates.length > 0 && here > 0;
  // Only the group: a screen is not drawn anew, and loses nothing, because figures of a server have changed.
  const group = useQuery({
    ...serversQuery,
    enabled: asks,
    select: (told) => told.servers.find((one) => one.id === here)?.group ?? "",
  });
  return asks && session.operates.includes(group.data ?? "") ? "operator" : (session?.role ?? "");
}

export const useUsername = (): string => useRouteContext({ strict: false }).session?.username ?? "";

/** The base and a screen's own parameters, as its route reads them. */
export function useView<R extends Readers>(own: R): Base & SearchOf<R> {
  const raw = (useSearch as (options: { strict: false }) => unknown)({ strict: false }) as Record<string, unknown>;
  return { ...readBase(raw), ...readWith(own, raw) };
}

/** Changes part of what the address holds; the rest stays. A new window replaces the old one whole.
 * With `replace`, going back skips what was before. */
export function useChange<S extends Base>(): (change: Partial<S>, replace?: boolean) => void {
  const navigate = useNavigate();
  return (change, replace = false) => {
    void navigate({ to: ".", search: ((old: S) => mergeSearch(old, change)) as never, replace });
  };
}
