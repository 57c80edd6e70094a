import { useState } from "react";

import type { Schemas } from "../../api/client";
import { ChartFrame } from "../../charts/ChartFrame";
import { useSize } from "../../charts/useSize";
import type { Table } from "../../ui/tableFile";
import { Button } from "../../ui/Button";
import { columnWidth, crossing } from "./model";

interface Props {
  readonly deadlock: Schemas["DeadlockOut"];
}

const ROW = 74;
const LEFT = 210;
const TOP = 64;
const ZOOMS = [0.6, 0.8, 1, 1.3] as const;

/** Parties against the things they locked; the lines of opposite order cross. */
export const CrossingChart = ({ deadlock }: Props) => {
  const parties = deadlock.parties;
  const [detail, setDetail] = useState(parties.length <= 3);
  const [zoom, setZoom] = useState(parties.length <= 4 ? 2 : 0);
  const [ref, size] = useSize<HTMLDivElement>();
  const plan = planOf(parties, size.width || 720);
  const { width, height } = plan;
  const scale = ZOOMS[zoom] ?? 1;
  return (
    <ChartFrame title="Crossing" reading={deadlock.sentence} table={() => tableOf(plan)}>
      <Choices detail={detail} onDetail={setDetail} zoom={zoom} onZoom={setZoom} />
      <div ref={ref} className="overflow-auto" tabIndex={0} role="region" aria-label="crossing of parties and things">
        <svg
          data-chart=""
          width={width * scale}
          height={height * scale}
          viewBox={`0 0 ${width} ${height}`}
          role="img"
          aria-label={deadlock.sentence}
        >
          <Arrow />
          <Parties plan={plan} detail={detail} />
          <Things plan={plan} detail={detail} />
          <Ways plan={plan} />
          <Waits plan={plan} />
          <Marks plan={plan} detail={detail} />
        </svg>
      </div>
      <p className="text-muted text-sm">
        Filled: held. Open: waited for. The numbers give the order as far as the report does: all held theirs before any
        waited.
      </p>
    </ChartFrame>
  );
};

interface ChoicesProps {
  readonly detail: boolean;
  readonly onDetail: (detail: boolean) => void;
  readonly zoom: number;
  readonly onZoom: (zoom: number) => void;
}

const Choices = ({ detail, onDetail, zoom, onZoom }: ChoicesProps) => (
  <div className="flex gap-2 pb-1 text-sm">
    <Button onClick={() => onDetail(!detail)} aria-pressed={detail}>
      {detail ? "less detail" : "more detail"}
    </Button>
    <Button onClick={() => onZoom(Math.max(0, zoom - 1))} disabled={zoom === 0} aria-label="smaller">
      −
    </Button>
    <Button
      onClick={() => onZoom(Math.min(ZOOMS.length - 1, zoom + 1))}
      disabled={zoom === ZOOMS.length - 1}
      aria-label="larger"
    >
      +
    </Button>
  </div>
);

type Party = Schemas["PartyOut"];

interface Plan extends ReturnType<typeof crossing> {
  readonly parties: readonly Party[];
  readonly x: (party: number) => number;
  readonly y: (thing: number) => number;
  readonly width: number;
  readonly height: number;
}

/** Where each party and each thing stands, in pixels. */
function planOf(parties: readonly Party[], room: number): Plan {
  const { things, marks } = crossing(parties);
  const column = columnWidth(room - LEFT, parties.length);
  return {
    ...{ parties, things, marks },
    x: (party) => LEFT + party * column + column / 2,
    y: (thing) => TOP + thing * ROW + ROW / 2,
    width: LEFT + parties.length * column,
    height: TOP + things.length * ROW + 8,
  };
}

const who = (party: Party): string => party.program || "a session";

const tableOf = ({ parties, things, marks }: Plan): Table => ({
  columns: ["order", "party", "pid", "thing", "holds or waits for", "mode"],
  rows: marks.map((mark) => {
    const party = parties[mark.party];
    return [
      mark.number,
      party ? who(party) : null,
      party?.pid ?? null,
      things[mark.thing]?.words ?? null,
      mark.held ? "holds" : "wants",
      mark.held ? null : (party?.wants.mode ?? null),
    ];
  }),
});

const Arrow = () => (
  <defs>
    <marker
      id="crossing-end"
      refX="19"
      refY="5"
      markerWidth="22"
      markerHeight="10"
      orient="auto"
      markerUnits="userSpaceOnUse"
    >
      <path d="M0 1L8 5L0 9Z" fill="var(--ink)" />
    </marker>
  </defs>
);

interface PartProps {
  readonly plan: Plan;
}

interface DetailProps extends PartProps {
  readonly detail: boolean;
}

/** A column a party, the victim named as such. */
const Parties = ({ plan: { parties, x, height }, detail }: DetailProps) =>
  parties.map((party, i) => (
    <g key={party.pid}>
      <text x={x(i)} y={16} textAnchor="middle" className="font-semibold" fill="var(--ink)">
        {who(party)}
      </text>
      <text x={x(i)} y={33} textAnchor="middle" className="text-xs" fill="var(--muted)">
        {`pid ${party.pid}`}
        {detail && party.client ? `, ${party.client}` : ""}
      </text>
      <text x={x(i)} y={50} textAnchor="middle" className="text-xs" fill={i === 0 ? "var(--danger)" : "var(--muted)"}>
        {i === 0 ? "victim: rolled back" : "went on"}
      </text>
      <line x1={x(i)} x2={x(i)} y1={TOP} y2={height - 8} stroke="var(--line)" />
    </g>
  ));

/** A row a thing. */
const Things = ({ plan: { things, y, width }, detail }: DetailProps) =>
  things.map((thing, row) => (
    <g key={row}>
      <text x={0} y={y(row) + 4} fill="var(--ink)">
        {thing.words.length > 26 ? `${thing.words.slice(0, 25)}…` : thing.words}
      </text>
      {detail && thing.said !== thing.words ? (
        <text x={0} y={y(row) + 20} className="text-xs" fill="var(--muted)">
          {thing.said.length > 34 ? `${thing.said.slice(0, 33)}…` : thing.said}
        </text>
      ) : null}
      <line x1={LEFT} x2={width} y1={y(row)} y2={y(row)} stroke="var(--line)" />
    </g>
  ));

/** From what each party holds to what it waits for. */
const Ways = ({ plan: { parties, marks, x, y } }: PartProps) =>
  parties.map((party, i) => {
    const held = marks.find((mark) => mark.party === i && mark.held);
    const wanted = marks.find((mark) => mark.party === i && !mark.held);
    if (!held || !wanted) return null;
    // From what a party holds to what it wants, bowed so that neighbours do not cover each other.
    const bow = 34 + 10 * (i % 2);
    const [from, to] = [y(held.thing), y(wanted.thing)];
    const lean = to > from ? 20 : -20;
    return (
      <path
        key={party.pid}
        d={`M ${x(i)} ${from} C ${x(i) + bow} ${from + lean}, ${x(i) + bow} ${to - lean}, ${x(i)} ${to}`}
        fill="none"
        stroke="var(--ink)"
        strokeWidth="1.5"
        strokeDasharray={i === 0 ? "5 3" : undefined}
        markerEnd="url(#crossing-end)"
      />
    );
  });

/** From each that waits to whoever holds the thing. */
const Waits = ({ plan: { marks, x, y } }: PartProps) =>
  marks
    .filter((mark) => !mark.held)
    .map((mark) => {
      const holder = marks.find((other) => other.held && other.thing === mark.thing);
      return holder ? (
        <line
          key={`${mark.party}-${mark.thing}`}
          x1={x(mark.party)}
          x2={x(holder.party)}
          y1={y(mark.thing)}
          y2={y(mark.thing)}
          stroke="var(--lock)"
          strokeWidth="2.5"
        />
      ) : null;
    });

/** Filled where held, open where waited for, numbered in time. */
const Marks = ({ plan: { parties, marks, x, y }, detail }: DetailProps) =>
  marks.map((mark) => {
    const mode = mark.held ? "" : (parties[mark.party]?.wants.mode ?? "");
    return (
      <g key={mark.number} transform={`translate(${x(mark.party)} ${y(mark.thing)})`}>
        <circle r="11" fill={mark.held ? "var(--ink)" : "var(--ground)"} stroke="var(--ink)" strokeWidth="1.5" />
        <text
          y="4"
          textAnchor="middle"
          className="text-xs font-semibold"
          fill={mark.held ? "var(--ground)" : "var(--ink)"}
        >
          {mark.number}
        </text>
        <text x="-15" y="-8" textAnchor="end" className="text-xs" fill="var(--muted)">
          {mark.held ? "holds" : detail ? `wants ${mode}` : "wants"}
        </text>
      </g>
    );
  });
