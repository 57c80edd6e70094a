import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";

import { ApiError } from "../api/problem";
import { watchForSomebody } from "../lib/idle";
import { makeRouter } from "./router";
import "./styles.css";

const OLD_MS = 10_000;
const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 1000,
      networkMode: "always", // whether the browser thinks it is online says nothing of Faena on this machine
      // A hidden tab rests. When it is looked at again, what is old is asked for at once and not at the next turn.
      refetchOnWindowFocus: (query) => Date.now() - query.state.dataUpdatedAt > OLD_MS,
      // What passes by itself is tried again; a wrong request would only fail the same way.
      retry: (count, error) => error instanceof ApiError && error.passing && count < 1,
      retryDelay: 500,
    },
    mutations: { networkMode: "always" },
  },
});
watchForSomebody();
void import("../api/beat").then(({ startBeat }) => startBeat(queries)); // nothing is asked again before the first view is there
const router = makeRouter(queries);
// A session that ran out leads to sign-in and back to the very same view.
queries.getQueryCache().subscribe((event) => {
  const error: unknown = event.type === "updated" ? event.query.state.error : null;
  if (error instanceof ApiError && error.status === 401 && router.state.location.pathname !== "/sign-in") {
    void router.navigate({ to: "/sign-in", search: { back: router.state.location.href } });
  }
});

// Reloads a tab that was open during an upgrade: the files it asks for next are gone, and a new page names those of today.
const RELOADED = "faena-reloaded";
window.addEventListener("vite:preloadError", () => {
  const at = Number(sessionStorage.getItem(RELOADED) ?? 0);
  if (Date.now() - at < OLD_MS) return; // it was reloaded just now, so that is not what is wrong
  sessionStorage.setItem(RELOADED, String(Date.now()));
  window.location.reload();
});

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <RouterProvider router={router} />
      </QueryClientProvider>
    </StrictMode>,
  );
}
