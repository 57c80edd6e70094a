// The navigation, as the screens' route files tell it: places on a server with their views, and screens over all servers.
import { useMatches, useRouter } from "@tanstack/react-router";

import type { Nav } from "./screen";

export interface View extends Nav {
  readonly to: string; // the route's path, with $server in it where it is of one server
  readonly title: string;
}

export interface Place {
  readonly name: string;
  readonly views: readonly View[];
}

interface Routed {
  readonly fullPath: string;
  readonly options: { readonly staticData?: { readonly nav?: Nav; readonly title?: string } };
}

/** Views in the order in which they are registered. */
export const viewsOf = (routes: readonly Routed[]): View[] =>
  routes.flatMap(({ fullPath, options }) => {
    const told = options.staticData;
    return told?.nav ? [{ ...told.nav, to: fullPath, title: told.title ?? told.nav.label }] : [];
  });

/** Places in the order of their first views. */
export function placesOf(views: readonly View[]): Place[] {
  const places = new Map<string, View[]>();
  for (const view of views.filter((one) => one.place !== ""))
    places.set(view.place, [...(places.get(view.place) ?? []), view]);
  return [...places].map(([name, its]) => ({ name, views: its }));
}

export function useViews(): View[] {
  return viewsOf(Object.values(useRouter().routesById));
}

/** Where one is: the screen's title, its place, and its view where it is one of the navigation. */
export interface Here {
  readonly title: string;
  readonly place: string;
  readonly to: string;
  readonly narrows: readonly string[] | "itself"; // as staticData has it
}

export function useHere(): Here {
  const last = useMatches().at(-1);
  const told = last?.staticData;
  return {
    title: told?.title ?? "",
    place: told?.nav?.place ?? told?.place ?? "",
    to: last?.fullPath ?? "",
    narrows: told?.narrows ?? [],
  };
}

/** "g, then l load, s statements, …" for the list of keys. */
export const goWords = (views: readonly View[]): string =>
  views.flatMap((view) => (view.key ? [`${view.key} ${view.words ?? view.label}`] : [])).join(", ");
