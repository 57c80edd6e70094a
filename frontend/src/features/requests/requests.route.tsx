import { createRoute, lazyRouteComponent } from "@tanstack/react-router";

import { word, words, type SearchOf } from "../../lib/search";
import type { Base } from "../../lib/view";
import { server } from "../../shell/routes";
import { own, showing, useChange, useParam, useServer, useView } from "../../shell/screen";

const ONLY = { service: word, version: word, host: word };
const NARROWS = ["endpoint", "program"] as const;
const ENDPOINTS = { ...ONLY, attribute: words, ranked: word, than: word };
const REQUEST = { top: word, beside_trace: word };
const ENDPOINT = { ...ONLY, attribute: words, region: word, beside: word };

export type OnlySearch = Base & SearchOf<typeof ONLY>;
export type EndpointsSearch = Base & SearchOf<typeof ENDPOINTS>;
export type EndpointSearch = Base & SearchOf<typeof ENDPOINT>;
export type RequestSearch = Base & SearchOf<typeof REQUEST>;

export const endpointsRoute = createRoute({
  getParentRoute: () => server,
  path: "endpoints",
  ...own(ENDPOINTS),
  staticData: {
    title: "Endpoints",
    narrows: NARROWS,
    nav: { place: "Requests", label: "endpoints", key: "q", words: "requests" },
  },
  component: showing(
    lazyRouteComponent(() => import("./EndpointsPage"), "EndpointsPage"),
    () => ({ ...useServer(), search: useView(ENDPOINTS), onSearch: useChange<EndpointsSearch>() }),
  ),
});

export const endpointRoute = createRoute({
  getParentRoute: () => server,
  path: "endpoints/$endpoint",
  ...own(ENDPOINT),
  staticData: { title: "Endpoint", place: "Requests" },
  component: showing(
    lazyRouteComponent(() => import("./EndpointPage"), "EndpointPage"),
    () => ({
      ...useServer(),
      endpoint: Number(useParam("endpoint")),
      search: useView(ENDPOINT),
      onSearch: useChange<EndpointSearch>(),
    }),
  ),
});

export const repeatedRoute = createRoute({
  getParentRoute: () => server,
  path: "repeated",
  ...own(ONLY),
  staticData: {
    title: "Repeated statements",
    narrows: NARROWS,
    nav: { place: "Requests", label: "repeated statements", key: "u" },
  },
  component: showing(
    lazyRouteComponent(() => import("./RepeatedPage"), "RepeatedPage"),
    () => ({ server: useServer().server, search: useView(ONLY) }),
  ),
});

export const callsRoute = createRoute({
  getParentRoute: () => server,
  path: "calls",
  ...own(ONLY),
  staticData: {
    title: "Outgoing calls",
    narrows: NARROWS,
    nav: { place: "Requests", label: "outgoing calls", key: "o" },
  },
  component: showing(
    lazyRouteComponent(() => import("./CallsPage"), "CallsPage"),
    () => ({ server: useServer().server, search: useView(ONLY) }),
  ),
});

export const requestRoute = createRoute({
  getParentRoute: () => server,
  path: "requests/$trace",
  ...own(REQUEST),
  staticData: { title: "Request", place: "Requests" },
  component: showing(
    lazyRouteComponent(() => import("./RequestPage"), "RequestPage"),
    () => ({ server: useServer().server, trace: useParam("trace"), search: useView(REQUEST) }),
  ),
});
