import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { Columns3 } from "lucide-react";
import { useState } from "react";

import { fileName, saveFile, toCsv, toTabs } from "../tableFile";
import { type Column, fileOf } from "./columns";
import { AS_IT_COMES, type Layout } from "./layouts";

interface Props<Row> {
  readonly label: string;
  readonly columns: readonly Column<Row>[];
  readonly shown: readonly Column<Row>[];
  readonly rows: readonly Row[];
  readonly layout: Layout;
  readonly keep: (layout: Layout) => void;
  readonly files: readonly { readonly label: string; readonly href: string }[];
}

/** Which columns are seen, and the table as a file or on the clipboard. */
export function TableMenu<Row>({ label, columns, shown, rows, layout, keep, files }: Props<Row>) {
  const [said, setSaid] = useState("");
  const table = () => fileOf(shown, rows);
  const copy = async () => {
    await navigator.clipboard.writeText(toTabs(table()));
    setSaid(`${rows.length} rows copied`);
  };
  const plain = "hover:text-accent block min-h-6 w-full text-left";
  return (
    <Popover className="inline-block">
      <PopoverButton
        aria-label={`columns and files of ${label}`}
        title="columns, copy, CSV"
        className="text-muted hover:text-accent inline-grid size-6 place-items-center align-middle"
      >
        <Columns3 size={14} aria-hidden="true" />
      </PopoverButton>
      <PopoverPanel
        anchor={{ to: "bottom end", gap: 4 }}
        className="bg-raised border-strong z-30 flex max-h-96 w-60 flex-col gap-1 overflow-auto border p-2 text-left text-sm font-normal shadow-sm focus:outline-none"
      >
        <fieldset className="flex flex-col">
          <legend className="text-muted">columns</legend>
          {columns
            .filter((one) => !one.fixed && !one.wide)
            .map((one) => (
              <label key={one.id} className="flex min-h-6 items-center gap-2" title={one.title}>
                <input
                  type="checkbox"
                  checked={shown.includes(one)}
                  onChange={(event) => keep(chosen(layout, one, event.target.checked))}
                />
                {one.heading}
              </label>
            ))}
        </fieldset>
        <button type="button" className={plain} onClick={() => keep(AS_IT_COMES)}>
          columns and widths as at first
        </button>
        <hr className="border-line" />
        <button type="button" className={plain} onClick={() => void copy()}>
          copy these {rows.length} rows
        </button>
        <button
          type="button"
          className={plain}
          onClick={() => saveFile(new Blob([toCsv(table())], { type: "text/csv" }), `${fileName(label)}.csv`)}
        >
          save these rows as CSV
        </button>
        {files.map((file) => (
          <a key={file.label} href={file.href} className={plain}>
            {file.label}
          </a>
        ))}
        <p role="status" className="text-muted">
          {said}
        </p>
      </PopoverPanel>
    </Popover>
  );
}

function chosen<Row>(layout: Layout, column: Column<Row>, on: boolean): Layout {
  const without = (names: readonly string[]) => names.filter((name) => name !== column.id);
  return column.optional
    ? { ...layout, shown: on ? [...layout.shown, column.id] : without(layout.shown) }
    : { ...layout, hidden: on ? without(layout.hidden) : [...layout.hidden, column.id] };
}
