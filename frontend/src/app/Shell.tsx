import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { CircleUser, Moon, Sun } from "lucide-react";
import { type ReactNode, useState } from "react";

import { ask, client } from "../api/client";
import { serversQuery } from "../api/queries";
import { Choice } from "../ui/Choice";
import { Menu } from "../ui/Menu";
import { useShortcuts } from "../ui/useShortcuts";
import { Keys } from "./Keys";
import { Search } from "./Search";

const VIEWS = [
  ["/servers/$server/load", "Load"],
  ["/servers/$server/statements", "Statements"],
  ["/servers/$server/executions", "Executions"],
  ["/servers/$server/indexes", "Indexes"],
  ["/servers/$server/sessions", "Sessions"],
  ["/servers/$server/blocking", "Blocking"],
  ["/servers/$server/deadlocks", "Deadlocks"],
  ["/servers/$server/events", "Log"],
  ["/servers/$server/machine", "Machine"],
  ["/servers/$server/samples", "Samples"],
  ["/servers/$server/settings", "Settings"],
] as const;

const OVERVIEWS = [
  ["/", "Servers"],
  ["/indicators", "Indicators"],
  ["/plans", "Plans"],
] as const;
const FOR_ADMINS = [
  ["/people", "People"],
  ["/record", "Record"],
  ["/collectors", "Collectors"],
] as const;

interface Props {
  readonly username: string;
  readonly role: string;
  readonly children: ReactNode;
}

/** The strip on top of every screen: which server, which view, search, theme, who. */
export const Shell = ({ username, role, children }: Props) => {
  const { server } = useParams({ strict: false });
  const [keys, setKeys] = useState(false);
  const [searching, setSearching] = useState(false);
  useShortcuts({ "?": () => setKeys(true), "/": () => setSearching(true) });
  return (
    <div className="flex h-full min-w-[1000px] flex-col">
      <header className="border-line flex h-10 shrink-0 items-center gap-4 border-b px-6 whitespace-nowrap max-[1180px]:gap-2">
        <Link to="/" className="text-lg font-semibold">
          faena
        </Link>
        {server === undefined ? null : <ServerChoice server={server} />}
        <nav aria-label="Views" className="font-condensed flex gap-3.5 max-[1180px]:gap-2 max-[1180px]:text-sm">
          {server === undefined
            ? [...OVERVIEWS, ...(role === "admin" ? FOR_ADMINS : [])].map(([to, label]) => (
                <Link
                  key={to}
                  to={to}
                  className="text-muted hover:text-accent"
                  activeOptions={{ exact: true }}
                  activeProps={{ className: "!text-ink font-semibold", "aria-current": "page" }}
                >
                  {label}
                </Link>
              ))
            : VIEWS.map(([to, label]) => (
                <Link
                  key={to}
                  to={to}
                  params={{ server }}
                  search={true}
                  className="text-muted hover:text-accent"
                  activeProps={{ className: "!text-ink font-semibold", "aria-current": "page" }}
                >
                  {label}
                </Link>
              ))}
        </nav>
        <div className="text-muted ml-auto flex items-center gap-4 text-sm max-[1180px]:gap-2">
          {server === undefined ? null : (
            <button type="button" className="hover:text-accent" onClick={() => setSearching(true)}>
              <span className="max-[1180px]:sr-only">search</span>{" "}
              <kbd className="border-line border px-1 font-mono text-xs">/</kbd>
            </button>
          )}
          <button type="button" className="hover:text-accent" onClick={() => setKeys(true)}>
            <span className="max-[1180px]:sr-only">keys</span>{" "}
            <kbd className="border-line border px-1 font-mono text-xs">?</kbd>
          </button>
          <ThemeSwitch />
          <Account username={username} role={role} />
        </div>
      </header>
      <main className="min-h-0 grow overflow-auto">{children}</main>
      <Keys open={keys} onClose={() => setKeys(false)} />
      {server === undefined ? null : (
        <Search key={server} server={Number(server)} open={searching} onClose={() => setSearching(false)} />
      )}
    </div>
  );
};

const ServerChoice = ({ server }: { readonly server: string }) => {
  const servers = useQuery(serversQuery);
  const navigate = useNavigate();
  const options = (servers.data?.servers ?? []).map((one) => ({ value: String(one.id), label: one.name }));
  if (options.length === 0) return <span>…</span>;
  return (
    <Choice
      label="server"
      value={server}
      options={options}
      onChange={(id) => void navigate({ to: "/servers/$server/load", params: { server: id }, search: true })}
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

const Account = ({ username, role }: { readonly username: string; readonly role: string }) => {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const signOut = useMutation({
    mutationFn: () => ask(client.DELETE("/api/v1/session")),
    onSettled: () => {
      queries.clear();
      window.location.assign("/sign-in");
    },
  });
  return (
    <Menu
      label={`signed in as ${username}, ${role}`}
      entries={[
        { label: "change your password", act: () => void navigate({ to: "/account" }) },
        { label: `sign out ${username} (${role})`, act: () => signOut.mutate() },
      ]}
    >
      <CircleUser size={15} aria-hidden="true" /> {username}
    </Menu>
  );
};
