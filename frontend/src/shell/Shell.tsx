import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { CircleUser, Moon, Sun } from "lucide-react";
import { lazy, type ReactNode, Suspense, useEffect, useRef, useState } from "react";

import { ask, client } from "../api/client";
import { serversQuery } from "../api/queries";
import { Choice } from "../ui/Choice";
import { Dialog } from "../ui/Dialog";
import { Failure } from "../ui/Failure";
import { Menu } from "../ui/Menu";
import { useShortcuts } from "../ui/useShortcuts";
import { type Place, placesOf, useHere, useViews, type View } from "./places";
import { Hints } from "./Hints";
import { LeadLine } from "./LeadLine";
import { useParam, useView } from "./screen";

const Keys = lazy(() => import("./Keys").then((m) => ({ default: m.Keys })));
const Keep = lazy(() => import("./Keep").then((m) => ({ default: m.Keep })));
const Search = lazy(() => import("./Search").then((m) => ({ default: m.Search })));

interface Props {
  readonly username: string;
  readonly role: string;
  readonly sees?: readonly string[];
  readonly demo?: boolean;
  readonly children: ReactNode;
}

/** The strip on top of every screen: which server, which view, search, theme, who. */
export const Shell = ({ username, role, sees = [], demo = false, children }: Props) => {
  const server = useParam("server") || undefined;
  const [over, setOver] = useState<Over | null>(null);
  const here = useHere();
  const views = useViews();
  const canKeep = role === "operator" || role === "admin";
  useShortcuts({
    "?": () => setOver("keys"),
    "/": () => setOver("search"),
    ...(canKeep ? { k: () => setOver("keep") } : {}),
  });
  useTitle(here.title, server);
  useGoKeys(views, server);
  return (
    <div className="pane-column min-w-[1000px] small:min-w-0">
      <a
        href="#content"
        className="bg-raised border-strong sr-only z-50 border px-3 py-1 focus:not-sr-only focus:absolute focus:top-1 focus:left-1"
      >
        to the content
      </a>
      <header className="border-line flex min-h-10 shrink-0 items-center gap-x-4 border-b px-6 whitespace-nowrap small:flex-wrap print:hidden">
        <Link to="/" className="text-lg font-semibold" aria-label="faena: all servers">
          faena
        </Link>
        {server === undefined ? null : <ServerChoice server={server} />}
        <nav aria-label="Places" className="font-condensed flex gap-5">
          {server === undefined
            ? views
                .filter((view) => view.place === "" && (!view.admin || role === "admin"))
                .map((view) => (
                  <NavLink
                    key={view.to}
                    to={view.to}
                    label={view.label}
                    on={here.to === view.to || here.place === view.label}
                  />
                ))
            : placesOf(views).map((place) => (
                <NavLink
                  key={place.name}
                  to={place.views[0]?.to ?? "/"}
                  server={server}
                  label={place.name}
                  on={here.place === place.name}
                />
              ))}
        </nav>
        <div className="text-muted ml-auto flex items-center gap-4 text-sm max-[1180px]:gap-2">
          <button type="button" className="hover:text-accent" onClick={() => setOver("search")}>
            <span className="max-[1180px]:sr-only">search</span>{" "}
            <kbd className="border-line border px-1 font-mono text-xs">/</kbd>
          </button>
          <button type="button" className="hover:text-accent" onClick={() => setOver("keys")}>
            <span className="max-[1180px]:sr-only">keys</span>{" "}
            <kbd className="border-line border px-1 font-mono text-xs">?</kbd>
          </button>
          <ThemeSwitch />
          {sees.length > 0 ? <Sees groups={sees} /> : null}
          <Account username={username} role={role} />
        </div>
      </header>
      {server === undefined ? null : (
        <ViewsOfPlace place={placesOf(views).find((one) => one.name === here.place)} to={here.to} server={server} />
      )}
      <main id="content" tabIndex={-1} className="pane-rest outline-none">
        {children}
      </main>
      {demo ? <Hints to={here.to} /> : null}
      <Overlay what={over} server={server} role={role} onClose={() => setOver(null)} />
    </div>
  );
};

type Over = "keys" | "search" | "keep";

interface OverlayProps {
  readonly what: Over | null;
  readonly server: string | undefined;
  readonly role: string;
  readonly onClose: () => void;
}

/** What a key opens over the page, loaded when it is asked for. */
const Overlay = ({ what, server, role, onClose }: OverlayProps) => {
  const here = server === undefined ? null : Number(server);
  return (
    <Suspense fallback={null}>
      {what === "keys" ? <Keys open onClose={onClose} /> : null}
      {what === "keep" ? <Keep server={here} onClose={onClose} /> : null}
      {what === "search" ? <Search key={server ?? ""} server={here} role={role} open onClose={onClose} /> : null}
    </Suspense>
  );
};

interface LinkProps {
  readonly to: string;
  readonly label: string;
  readonly on: boolean;
  readonly server?: string;
}

const NavLink = ({ to, label, on, server }: LinkProps) => (
  <Link
    // Paths come from the screens' route files; all of them take a server or nothing.
    to={to as "/servers/$server/load"}
    params={{ server: server ?? "" }}
    search={true} // each screen leaves behind what is not its own
    aria-current={on ? "page" : undefined}
    className={on ? "text-ink font-semibold" : "text-muted hover:text-accent"}
    activeProps={{}}
  >
    {label}
  </Link>
);

interface ViewsProps {
  readonly place: Place | undefined;
  readonly to: string;
  readonly server: string;
}

/** The views of the place one is at, without hovering; beside them what is at fault, but where that is shown anyway. */
const ViewsOfPlace = ({ place, to, server }: ViewsProps) => {
  const search = useView({});
  return (
    <div className="border-line font-condensed flex min-h-6 shrink-0 items-center justify-between gap-x-6 border-b px-6 text-sm whitespace-nowrap small:flex-wrap print:hidden">
      <nav aria-label={`Views of ${place?.name ?? "this place"}`} className="flex shrink-0 gap-x-4 small:flex-wrap">
        {place?.views.map((view) => (
          <NavLink key={view.to} to={view.to} server={server} label={view.label} on={view.to === to} />
        ))}
      </nav>
      {place?.name === "Leads" ? null : <LeadLine server={Number(server)} search={search} />}
    </div>
  );
};

/** The page's title: what is shown, and of which server. */
function useTitle(title: string, server: string | undefined): void {
  const servers = useQuery({ ...serversQuery, enabled: server !== undefined });
  const name = servers.data?.servers.find((one) => String(one.id) === server)?.name;
  useEffect(() => {
    document.title = [title, name, "faena"].filter(Boolean).join(" · ");
  }, [title, name]);
}

const GO_WITHIN_MS = 2000;

/** g, then a letter within two seconds: go to a view. Alone, some of the letters do something else. */
function useGoKeys(views: readonly View[], server: string | undefined): void {
  const navigate = useNavigate();
  const pressed = useRef<number | null>(null); // as the browser tells when a key went down, however late it is looked at
  const go =
    (to: string) =>
    (event: KeyboardEvent): boolean => {
      const asked = pressed.current !== null && event.timeStamp - pressed.current < GO_WITHIN_MS;
      if (server === undefined || !asked) return false;
      pressed.current = null; // one letter goes with one g
      void navigate({ to: to as "/servers/$server/load", params: { server }, search: true });
      return true;
    };
  useShortcuts(
    {
      g: (event) => {
        pressed.current = event.timeStamp;
      },
      ...Object.fromEntries(views.flatMap((view) => (view.key ? [[view.key, go(view.to)]] : []))),
    },
    true,
  );
}

const NAMES_EVERY_MS = 60_000;

const ServerChoice = ({ server }: { readonly server: string }) => {
  // For the names alone: how servers do is asked where they are listed.
  const servers = useQuery({ ...serversQuery, meta: { againMs: NAMES_EVERY_MS } });
  const navigate = useNavigate();
  const here = useHere();
  const views = useViews();
  // The same view of the other server. A trail of one server's statements means nothing on another.
  const view = views.find((one) => one.to === here.to) ?? views.find((one) => one.place === here.place);
  const options = (servers.data?.servers ?? []).map((one) => ({ value: String(one.id), label: one.name }));
  if (options.length === 0) return <span>…</span>;
  return (
    <Choice
      label="server"
      value={server}
      options={options}
      onChange={(id) =>
        void navigate({
          to: (view?.to ?? "/servers/$server/load") as "/servers/$server/load",
          params: { server: id },
          search: { pick: [] },
        })
      }
      className="text-base"
    />
  );
};

const ThemeSwitch = () => {
  const [theme, setTheme] = useState(document.documentElement.dataset.theme ?? "light");
  const other = theme === "dark" ? "light" : "dark";
  const change = (): void => {
    document.documentElement.dataset.theme = other;
    localStorage.setItem("faena-theme", other);
    setTheme(other);
  };
  return (
    <button
      type="button"
      aria-label={`${other} theme`}
      title={`${other} theme`}
      className="hover:text-accent"
      onClick={change}
    >
      {theme === "dark" ? <Sun size={15} aria-hidden="true" /> : <Moon size={15} aria-hidden="true" />}
    </button>
  );
};

/** Whoever sees some groups alone is told so on every screen: what is not listed there may be in trouble all the same. */
const Sees = ({ groups }: { readonly groups: readonly string[] }) => (
  <span title={`You see the servers of ${groups.join(", ")} alone; an admin says which`} className="max-w-48 truncate">
    only {groups.join(", ")}
  </span>
);

const Account = ({ username, role }: { readonly username: string; readonly role: string }) => {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const signOut = useMutation({
    mutationFn: () => ask(client.DELETE("/api/v1/session")),
    onSuccess: () => {
      queries.clear();
      window.location.assign("/sign-in");
    },
  });
  if (signOut.error)
    return (
      <Dialog title="You are still signed in" open onClose={() => signOut.reset()}>
        <Failure title="Signing out failed" detail={signOut.error.message} retry={() => signOut.mutate()} />
      </Dialog>
    );
  return (
    <Menu
      label={`signed in as ${username}, ${role}`}
      entries={[
        { label: "change your password", act: () => void navigate({ to: "/account" }) },
        { label: "API tokens", act: () => void navigate({ to: "/tokens" }) },
        { label: "API reference", act: () => void navigate({ to: "/reference" }) },
        { label: `sign out ${username} (${role})`, act: () => signOut.mutate() },
      ]}
    >
      <CircleUser size={15} aria-hidden="true" /> {username}
    </Menu>
  );
};
