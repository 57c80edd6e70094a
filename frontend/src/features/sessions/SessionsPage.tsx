import { Ended } from "./Ended";
import type { SessionsSearch } from "./sessions.route";
import { SearchField } from "../../ui/SearchField";
import { useDraft } from "../../ui/useDraft";
import { Recordings } from "./Recordings";
import { Now } from "./Now";
import { Past } from "./Past";

interface Props {
  readonly server: number;
  readonly past: boolean;
  readonly search: SessionsSearch;
  readonly role: string;
  readonly onSearch: (change: Partial<SessionsSearch>) => void;
}

/** Everybody now, or everybody who was there in the window. */
export const SessionsPage = ({ server, past, search, role, onSearch }: Props) => {
  const [words, setWords] = useDraft(search.find ?? "");
  return (
    <div className="pane px-6 pt-2 pb-6">
      <div className="flex items-baseline gap-4">
        <SearchField
          label="find sessions"
          placeholder={past ? "pid, program, user, statement, error …" : "pid, program, user, statement …"}
          value={search.find ?? ""}
          onChange={(find) => onSearch({ find })}
          onType={setWords}
          className="w-80"
        />
      </div>
      {past ? (
        <Past server={server} search={search} onSearch={onSearch} />
      ) : (
        <Now server={server} search={search} words={words} canEnd={role !== "viewer"} onSearch={onSearch} />
      )}
      <div className="mt-6 grid grid-cols-2 gap-8">
        <Recordings server={server} canAct={role !== "viewer"} />
        <Ended server={server} />
      </div>
    </div>
  );
};
