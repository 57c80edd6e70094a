import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { Plus, X } from "lucide-react";

import { ask, client, type Schemas } from "../../api/client";
import { ExportMenu } from "../../charts/ExportMenu";
import { ManyLines } from "../../charts/ManyLines";
import { changeWords, figure } from "../../lib/figure";
import { present } from "../../lib/time";
import { windowOf } from "../../lib/view";
import { Menu } from "../../ui/Menu";
import type { IndicatorsSearch } from "./overview.route";
import { indicatorsTable } from "./model";
import { indicatorsQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";

interface Props {
  readonly search: IndicatorsSearch;
  readonly onSearch: (change: Partial<IndicatorsSearch>) => void;
}

/** One figure of all servers on one chart, and below it all chosen figures of all servers with how they changed. */
export const IndicatorsPage = ({ search, onSearch }: Props) => {
  const queries = useQueryClient();
  const spec = windowOf(search.last === undefined && search.from === undefined ? { last: 3600 } : search);
  const found = useQuery(indicatorsQuery(spec));
  const choose = useMutation({
    mutationFn: (names: string[]) =>
      ask(client.PUT("/api/v1/indicators/chosen", { body: { names: names as Schemas["ChosenBody"]["names"] } })),
    onSettled: () => void queries.invalidateQueries({ queryKey: ["indicators"] }),
  });
  const data = found.data;
  const shown = data?.indicators.find((one) => one.name === search.figure) ?? data?.indicators[0];
  return (
    <div className="pane-column px-6 py-3">
      <AnswerState of={found} what="the indicators" />
      {data ? (
        <div className={found.isPlaceholderData ? "opacity-50" : ""}>
          <div className="h-[250px]">
            {shown ? (
              <ManyLines
                title={shown.label}
                starts={data.starts}
                bucketMs={data.bucket_ms}
                start={data.start}
                end={data.end}
                now={present()}
                lines={shown.cells
                  .filter((cell) => cell.values.some((v) => v !== null))
                  .map((cell) => ({
                    name: data.servers.find((server) => server.id === cell.server)?.name ?? "",
                    values: cell.values,
                  }))}
                say={(value) => figure(value, shown.unit)}
              />
            ) : (
              <p className="text-muted">Choose an indicator below.</p>
            )}
          </div>
          <div className="flex justify-end">
            <ExportMenu name="indicators" table={() => indicatorsTable(data)} />
          </div>
          <Table
            data={data}
            shown={shown?.name}
            onShow={(figure) => onSearch({ figure })}
            onChoose={(names) => choose.mutate(names)}
          />
        </div>
      ) : null}
    </div>
  );
};

interface TableProps {
  readonly data: Schemas["IndicatorsOut"];
  readonly shown: string | undefined;
  readonly onShow: (name: string) => void;
  readonly onChoose: (names: string[]) => void;
}

const Table = ({ data, shown, onShow, onChoose }: TableProps) => {
  const free = data.offered.filter((one) => !data.chosen.includes(one.name));
  return (
    <table className="mt-3 w-full table-fixed">
      <thead>
        <tr className="border-strong border-b text-left text-sm align-bottom">
          <th className="text-muted w-40 font-normal">
            server
            {free.length ? (
              <Menu
                label="add an indicator"
                className="ml-3"
                entries={free.map((one) => ({ label: one.label, act: () => onChoose([...data.chosen, one.name]) }))}
              >
                <Plus size={13} aria-hidden="true" /> indicator
              </Menu>
            ) : null}
          </th>
          {data.indicators.map((one) => (
            <th key={one.name} className="pl-4 font-normal">
              <button
                type="button"
                aria-pressed={one.name === shown}
                className={`hover:text-accent ${one.name === shown ? "font-semibold underline" : ""}`}
                onClick={() => onShow(one.name)}
              >
                {one.label}
              </button>
              <button
                type="button"
                aria-label={`remove ${one.label}`}
                className="text-muted hover:text-accent inline-grid min-w-6 place-items-center align-middle"
                onClick={() => onChoose(data.chosen.filter((name) => name !== one.name))}
              >
                <X size={11} aria-hidden="true" />
              </button>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {data.servers.map((server) => (
          <tr key={server.id} className="border-line border-b align-top">
            <td className="py-1.5">
              <Link
                to="/servers/$server/load"
                params={{ server: String(server.id) }}
                className="text-accent hover:underline"
              >
                {server.name}
              </Link>
            </td>
            {data.indicators.map((one) => (
              <Cell key={one.name} unit={one.unit} cell={one.cells.find((cell) => cell.server === server.id)} />
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
};

const Cell = ({ unit, cell }: { readonly unit: string; readonly cell: Schemas["CellOut"] | undefined }) => {
  const known = cell?.values.map((v) => v ?? 0) ?? [];
  const most = Math.max(...known, 0) || 1;
  return (
    <td className="py-1.5 pl-4">
      <div className="flex items-center gap-2">
        <b className="font-semibold">{figure(cell?.mean, unit)}</b>
        {cell && cell.mean !== null ? (
          <svg width="80" height="16" viewBox={`0 0 ${known.length} 16`} preserveAspectRatio="none" aria-hidden="true">
            {cell.values.map((v, i) =>
              v === null ? null : (
                <rect key={i} x={i} width={1} y={16 - (v / most) * 16} height={(v / most) * 16} fill="var(--running)" />
              ),
            )}
          </svg>
        ) : null}
      </div>
      {cell && cell.mean !== null ? (
        <div className="text-muted font-condensed text-sm">
          <ChangeLine change={cell.yesterday} label="yesterday" />
          <ChangeLine change={cell.last_week} label="a week ago" />
        </div>
      ) : null}
    </td>
  );
};

const ChangeLine = ({ change, label }: { readonly change: Schemas["ChangeOut"]; readonly label: string }) => {
  const words = changeWords(change.ratio, change.difference);
  return words ? <div className="leading-tight whitespace-nowrap">{`${words} against ${label}`}</div> : null;
};
