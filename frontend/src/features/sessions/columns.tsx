// Columns that the sessions of now and those of a window have alike.
import type { Schemas } from "../../api/client";
import { RequestLink, StatementLink, TapeLink } from "../../shell/SessionLinks";
import type { Column } from "../../ui/table/columns";

type Watched = Schemas["WatchedSessionOut"];

export const pidColumn = <Row extends Watched>(server: number): Column<Row> => ({
  id: "pid",
  heading: "pid",
  align: "right",
  value: (one) => one.pid,
  show: (one) => <TapeLink server={server} one={one} />,
});

export const programColumn = <Row extends Watched>(): Column<Row> => ({
  id: "program",
  heading: "program",
  value: (one) => one.program,
  show: (one) => (
    <>
      {one.program} <span className="text-muted text-sm">{one.user}</span>
    </>
  ),
});

export const databaseColumn = <Row extends Watched>(): Column<Row> => ({
  id: "database",
  heading: "database",
  optional: true,
  value: (one) => one.database,
});

export const requestColumn = <Row extends Watched>(server: number): Column<Row> => ({
  id: "request",
  heading: "request",
  title: "what it works for, as trace contexts in its statements tell",
  say: (one) => one.endpoint,
  value: (one) => one.endpoint || (one.trace ? "its request" : null),
  show: (one) => (
    <span className="block max-w-40 truncate">
      <RequestLink server={server} one={one} />
    </span>
  ),
});

export const statementColumn = <Row extends Watched>(server: number, heading: string): Column<Row> => ({
  id: "text",
  heading,
  wide: true,
  value: (one) => one.statement,
  say: (one) => one.statement,
  show: (one) => (
    <span className="font-mono text-xs">
      <StatementLink server={server} one={one} />
    </span>
  ),
});
