import { MoreHorizontal } from "lucide-react";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { flushSync } from "react-dom";

import { present } from "../lib/time";
import { heldAddress } from "../lib/view";
import { Menu } from "../ui/Menu";
import { useOffer } from "../ui/offers";
import { type Table, saveFile, toCsv, toJsonl } from "../ui/tableFile";
import { AsElements } from "./Cells";
import { savePng, saveSvg, source } from "./saving";

interface Props {
  readonly title: string;
  readonly reading: string; // one sentence that says what is to be seen
  readonly table: () => Table;
  readonly children: ReactNode;
  readonly className?: string;
}

/** Around every chart: a name, a sentence for those who do not see it, the same figures as a table, and exports. */
export const ChartFrame = ({ title, reading, table, children, className = "" }: Props) => {
  const figure = useRef<HTMLElement>(null);
  const [asTable, setAsTable] = useState(false);
  const [said, say] = useState("");
  useEffect(() => {
    if (!said) return undefined;
    const timer = setTimeout(() => say(""), SAID_MS);
    return () => {
      clearTimeout(timer);
    };
  }, [said]);
  const name = title.toLowerCase().replace(/[^a-z0-9]+/g, "-");
  const [asElements, setAsElements] = useState(false);
  const save = (write: (svg: SVGSVGElement) => void): void => {
    flushSync(() => setAsElements(true)); // what is painted is no part of the svg that becomes the file
    const svg = figure.current?.querySelector<SVGSVGElement>("svg[data-chart]");
    if (svg) write(svg);
    setAsElements(false);
  };
  useOffer({
    title,
    make: () => {
      let picture = "";
      save((svg) => (picture = source(svg)));
      return { title, sentence: reading, figures: table(), ...(picture ? { svg: picture } : {}) };
    },
    holds: (element) => figure.current?.contains(element) === true,
  });
  return (
    <figure ref={figure} aria-label={`${title}. ${reading}`} className={`relative ${className}`}>
      <Menu
        label={`${title}: table, link, export`}
        className="text-muted absolute top-0 right-0 z-10 p-0.5"
        entries={[
          { label: asTable ? "as chart" : "as table", act: () => setAsTable((on) => !on) },
          { label: "copy link", act: () => void copyLink().then(say) },
          { label: "export SVG", act: () => save((svg) => saveSvg(svg, name)) },
          { label: "export PNG", act: () => save((svg) => void savePng(svg, name)) },
          { label: "export CSV", act: () => saveFile(new Blob([toCsv(table())], { type: "text/csv" }), `${name}.csv`) },
          {
            label: "export JSON Lines",
            act: () => saveFile(new Blob([toJsonl(table())], { type: "application/jsonl" }), `${name}.jsonl`),
          },
        ]}
      >
        <MoreHorizontal size={16} aria-hidden="true" />
      </Menu>
      <span role="status" className="bg-raised text-muted absolute top-0 right-6 z-10 px-1 text-sm empty:hidden">
        {said}
      </span>
      {asTable ? <DataTwin table={table()} /> : <AsElements value={asElements}>{children}</AsElements>}
    </figure>
  );
};

const SAID_MS = 4000;

/** Copies the address of what is shown; while the window follows now, the copy holds the moment. Says what came of it. */
async function copyLink(): Promise<string> {
  try {
    await navigator.clipboard.writeText(heldAddress(window.location.href, present()));
    return "link copied";
  } catch {
    return "the browser does not let us copy; the address bar has the link";
  }
}

/** The same figures as a table. */
export const DataTwin = ({ table }: { readonly table: Table }) => (
  <div className="h-full overflow-auto" tabIndex={0} role="region" aria-label="the same figures as a table">
    <table className="font-condensed text-sm">
      <thead className="bg-ground sticky top-0 text-left">
        <tr>
          {table.columns.map((column) => (
            <th key={column} className="pr-4 font-semibold">
              {column}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {table.rows.map((row, i) => (
          <tr key={i}>
            {row.map((cell, j) => (
              <td key={j} className="pr-4">
                {cell ?? "–"}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  </div>
);
