import { createRoute, lazyRouteComponent, useRouter } from "@tanstack/react-router";

import { sessionQuery } from "../../api/queries";
import { root } from "../../shell/routes";
import { preloading } from "../../shell/screen";

const SignInPage = lazyRouteComponent(() => import("./SignInPage"), "SignInPage");

/** Where one signs in; only paths of our own lead on from there, so that a link cannot lead somewhere else. */
export const signInRoute = createRoute({
  getParentRoute: () => root,
  path: "/sign-in",
  staticData: { title: "Sign in" },
  validateSearch: (raw: Record<string, unknown>): { back?: string; refused?: string } => ({
    ...(typeof raw.back === "string" && /^\/(?!\/)/.test(raw.back) ? { back: raw.back } : {}),
    ...(typeof raw.refused === "string" ? { refused: raw.refused } : {}),
  }),
  loader: ({ context }) => context.queries.query({ ...sessionQuery, staleTime: "static" }),
  component: Object.assign(function SignIn() {
    const session = signInRoute.useLoaderData();
    const { back, refused } = signInRoute.useSearch();
    const router = useRouter();
    return (
      <SignInPage
        demo={session.demo}
        provider={session.sign_in_by === null ? null : { name: session.sign_in_by, back: back ?? "/" }}
        refused={refused ?? ""}
        onDone={() => router.history.push(back ?? "/")}
      />
    );
  }, preloading(SignInPage)),
});
