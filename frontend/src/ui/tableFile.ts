// Tables and files: what every list and every chart can be saved as.

/** A table as CSV; texts with commas, quotes or line ends are quoted. */
export function toCsv(table: Table): string {
  const cell = (value: string | number | null): string => {
    const text = value === null ? "" : String(value);
    return /[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
  };
  return [table.columns, ...table.rows].map((row) => row.map(cell).join(",")).join("\n") + "\n";
}

export interface Table {
  readonly columns: readonly string[];
  readonly rows: readonly (readonly (string | number | null)[])[];
}

/** One object a line, columns as names; gaps are null. */
export function toJsonl(table: Table): string {
  return table.rows
    .map((row) => `${JSON.stringify(Object.fromEntries(table.columns.map((name, i) => [name, row[i] ?? null])))}\n`)
    .join("");
}

/** Hands a file to the browser to keep. */
export function saveFile(content: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(content);
  link.download = name;
  link.click();
  setTimeout(() => {
    URL.revokeObjectURL(link.href);
  }, 1000);
}

/** A table as lines of cells parted by tabs, as spreadsheets take it from the clipboard. */
export const toTabs = (table: Table): string =>
  [table.columns, ...table.rows]
    .map((row) => row.map((cell) => (cell === null ? "" : String(cell).replace(/[\t\n]+/g, " "))).join("\t"))
    .join("\n");

/** A name for a file out of words. */
export const fileName = (words: string): string => words.toLowerCase().replace(/[^a-z0-9]+/g, "-");
