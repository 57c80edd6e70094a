import type { Schemas } from "../../api/client";
import { LAYERS } from "../../lib/words/layers";
import { duration } from "../../lib/units";
import { EVERY, type Layers, layerFill } from "./layers";

/** Requests on one side, as one of them on average. */
export interface Side {
  readonly heading: string;
  readonly requests: number; // 0: none, and nothing is told of them
  readonly mean_ms: number;
  readonly layers: Layers;
  readonly statements: number;
}

const told = (side: Side, words: string): string => (side.requests > 0 ? words : "–");

interface Props {
  readonly label: string;
  readonly first: Side;
  readonly second: Side;
}

/** What one request takes on two sides: in all, by layer, in statements. */
export const Sides = ({ label, first, second }: Props) => {
  const both = [first, second] as const;
  return (
    <table className="font-condensed w-full" aria-label={label}>
      <thead>
        <tr className="text-muted border-line border-b">
          <th className="text-left font-normal">one of them takes</th>
          {both.map((side) => (
            <th key={side.heading} className="pl-3 text-right font-normal">
              {side.heading}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        <tr>
          <td>in all</td>
          <td className="text-right font-semibold">{told(first, duration(first.mean_ms))}</td>
          <td className="text-right">{told(second, duration(second.mean_ms))}</td>
        </tr>
        {EVERY.filter((layer) => both.some((side) => side.layers[layer] > 0)).map((layer) => (
          <tr key={layer}>
            <td>
              <svg width={12} height={12} aria-hidden="true" className="mr-1.5 inline">
                <rect width={12} height={12} fill={layerFill(layer)} />
              </svg>
              {LAYERS[layer]}
            </td>
            <td className="text-right">{told(first, duration(first.layers[layer]))}</td>
            <td className="text-right">{told(second, duration(second.layers[layer]))}</td>
          </tr>
        ))}
        <tr>
          <td>statements</td>
          <td className="text-right font-semibold">{told(first, String(Number(first.statements.toPrecision(3))))}</td>
          <td className="text-right">{told(second, String(Number(second.statements.toPrecision(3))))}</td>
        </tr>
      </tbody>
    </table>
  );
};

const NONE: Layers = { own: 0, database: 0, cache: 0, external: 0, queue: 0 };

/** An endpoint's requests as a side: sums become means. */
export function sideOf(heading: string, of: Schemas["EndpointOut"] | null): Side {
  if (of === null) return { heading, requests: 0, mean_ms: 0, layers: NONE, statements: 0 };
  const each = (layer: keyof Layers): number => of.layers[layer] / of.requests;
  return {
    heading,
    requests: of.requests,
    mean_ms: of.mean_ms,
    layers: {
      ...{ own: each("own"), database: each("database"), cache: each("cache") },
      ...{ external: each("external"), queue: each("queue") },
    },
    statements: of.statements,
  };
}
