import { useQuery } from "@tanstack/react-query";

import type { Schemas } from "../../api/client";
import { loadQuery } from "../../api/queries";
import { Spark } from "../../charts/Spark";
import type { Lead, Step } from "./model";
import { LOW, SMALL, SmallDisk, SmallLanes, SmallTicks } from "./SmallPictures";

type Loaded = Schemas["LoadOut"];

const CELLS = 60;
const [WIDTH, HEIGHT] = [380, 40];

/** The part of the load that a lead explains, over the window: above the line what ran, below it what waited. */
export const WhatItExplains = ({ lead }: { readonly lead: Lead }) =>
  lead.picture.groups.length === 0 ? null : (
    <figure className="mb-2">
      <Spark
        load={lead.picture}
        width={WIDTH}
        height={HEIGHT}
        label="what this lead explains of the load, over the window"
      />
      <figcaption className="text-muted text-xs">what it explains, over the window</figcaption>
    </figure>
  );

interface Props {
  readonly server: number;
  readonly span: { readonly from: number; readonly to: number };
  readonly step: Step;
  readonly lead: Lead;
}

/** What narrows the load to what a step speaks of; null where a waterline shows nothing of it. */
export function picksOf(step: Step, lead: Lead): readonly string[] | null {
  const query = step.search["query"];
  switch (step.view) {
    case "statement":
      return query === undefined ? null : [`statement:${query}`];
    case "sessions":
    case "statements":
      return lead.root.program ? [`program:${lead.root.program}`] : null;
    case "load":
      return [];
    default:
      return null;
  }
}

/** A small picture of what a step speaks of, as its view shows it: lanes, moments, a line, or a waterline. */
export const StepPicture = (props: Props) => (
  <span className="w-[120px] shrink-0 self-center" style={{ height: LOW }}>
    <Drawn {...props} />
  </span>
);

const Drawn = (props: Props) => {
  const { server, span, step } = props;
  switch (step.view) {
    case "blocking":
      return <SmallLanes server={server} span={span} />;
    case "deadlocks":
      return <SmallTicks server={server} span={span} kinds={["deadlock"]} label="deadlocks" />;
    case "machine":
      return <SmallDisk server={server} span={span} />;
    default:
      return <SmallWaterline {...props} />;
  }
};

const SmallWaterline = ({ server, span, step, lead }: Props) => {
  const picks = picksOf(step, lead);
  const found = useQuery({ ...loadQuery(server, span, picks ?? [], CELLS), enabled: picks !== null });
  const data: Loaded | undefined = picks === null ? undefined : found.data;
  return data ? <Spark load={data} width={SMALL} height={LOW} label={`load: ${picks?.join(", ") || "all"}`} /> : null;
};
