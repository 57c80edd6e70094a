import { Download } from "lucide-react";

import { Menu } from "../ui/Menu";
import { type Table, fileName, saveFile, toCsv, toJsonl } from "../ui/tableFile";

interface Props {
  readonly name: string; // of what is exported, in words
  readonly table: () => Table;
}

/** What a list shows, as CSV or JSON Lines. */
export const ExportMenu = ({ name, table }: Props) => (
  <Menu
    label={`export ${name}`}
    className="text-muted text-sm"
    entries={[
      {
        label: "CSV",
        act: () => saveFile(new Blob([toCsv(table())], { type: "text/csv" }), `${fileName(name)}.csv`),
      },
      {
        label: "JSON Lines",
        act: () => saveFile(new Blob([toJsonl(table())], { type: "application/jsonl" }), `${fileName(name)}.jsonl`),
      },
    ]}
  >
    <Download size={12} aria-hidden="true" /> export
  </Menu>
);
