import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { ask, client } from "../../api/client";
import { parseQuery, readWith, writeQuery } from "../../lib/search";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Menu } from "../../ui/Menu";
import { CONDITION_FIELDS, conditionWords, signsOf } from "./model";
import { filtersQuery } from "./queries";
import { RANKING, type RankingSearch } from "./statements.route";

interface Props {
  readonly search: RankingSearch;
  readonly onSearch: (change: Partial<RankingSearch>) => void;
}

const FIELDS: readonly { readonly value: string; readonly label: string }[] = CONDITION_FIELDS.map(
  ([value, label]) => ({ value, label }),
);

/** Conditions on the ranking as removable steps, one more by field, sign and value; filters saved under a name. */
export const Conditions = ({ search, onSearch }: Props) => {
  const [field, setField] = useState<string>("mean_ms");
  const [sign, setSign] = useState(">=");
  const [value, setValue] = useState("");
  const where = search.where ?? [];
  const signs = signsOf(field);
  const unit = CONDITION_FIELDS.find(([name]) => name === field)?.[2] ?? "";
  return (
    <div className="flex flex-wrap items-center gap-x-2 gap-y-1 pb-1 text-sm">
      {where.map((one) => (
        <Button
          key={one}
          className="text-xs"
          title="take this condition away"
          onClick={() => onSearch({ where: where.filter((other) => other !== one) })}
        >
          {conditionWords(one)} ×
        </Button>
      ))}
      <form
        className="flex items-center gap-1.5"
        onSubmit={(event) => {
          event.preventDefault();
          if (value.trim()) onSearch({ where: [...where, `${field} ${sign} ${value.trim()}`] });
          setValue("");
        }}
      >
        <span className="text-muted">only where</span>
        <Choice
          label="field of the condition"
          value={field}
          options={FIELDS}
          onChange={(next) => {
            setField(next);
            if (!signsOf(next).includes(sign)) setSign(signsOf(next)[0] ?? "=");
          }}
        />
        <Choice
          label="sign of the condition"
          value={sign}
          options={signs.map((one) => ({ value: one, label: { "=": "is", "!=": "is not" }[one] ?? one }))}
          onChange={setSign}
        />
        <input
          aria-label="value of the condition"
          value={value}
          onChange={(event) => setValue(event.target.value)}
          className="bg-raised border-line w-24 border px-1"
        />
        <span className="text-muted">{unit}</span>
        <Button type="submit" className="text-xs">
          add
        </Button>
      </form>
      <SavedFilters search={search} onSearch={onSearch} />
    </div>
  );
};

const FILTER_KEYS = Object.keys(RANKING) as (keyof typeof RANKING)[];

const SavedFilters = ({ search, onSearch }: Props) => {
  const queries = useQueryClient();
  const filters = useQuery(filtersQuery);
  const [name, setName] = useState("");
  const save = useMutation({
    mutationFn: (body: { name: string; query: string }) => ask(client.PUT("/api/v1/filters", { body })),
    onSuccess: (found) => queries.setQueryData(filtersQuery.queryKey, found),
  });
  const mine = Object.fromEntries(
    FILTER_KEYS.flatMap((key) => (search[key] === undefined ? [] : [[key, search[key]]])),
  );
  const query = writeQuery(mine);
  const apply = (written: string): void => {
    const found = readWith(RANKING, parseQuery(written));
    const cleared = Object.fromEntries(FILTER_KEYS.map((key) => [key, undefined]));
    onSearch({ ...cleared, ...found });
  };
  return (
    <span className="ml-auto flex items-center gap-2">
      {filters.data?.length ? (
        <Menu
          label="saved filters"
          className="border-line border px-1.5"
          entries={filters.data.flatMap((one) => [
            { label: one.name, act: () => apply(one.query) },
            { label: `forget “${one.name}”`, act: () => save.mutate({ name: one.name, query: "" }) },
          ])}
        >
          saved filters ▾
        </Menu>
      ) : null}
      {query ? (
        <form
          className="flex items-center gap-1"
          onSubmit={(event) => {
            event.preventDefault();
            if (name.trim()) save.mutate({ name: name.trim(), query });
            setName("");
          }}
        >
          <input
            aria-label="name for this filter"
            placeholder="save as …"
            value={name}
            maxLength={60}
            onChange={(event) => setName(event.target.value)}
            className="bg-raised border-line w-24 border px-1"
          />
        </form>
      ) : null}
    </span>
  );
};
