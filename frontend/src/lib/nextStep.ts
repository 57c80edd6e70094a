// What there is to do about a lead or an alert, in its parts.

const SQL = /^(?:SELECT|CREATE|COMMIT PREPARED|ALTER|DROP|ANALYZE|VACUUM|REINDEX)\b[^;]*;/;

/** What there is to do, as SQL and the words behind it: "SELECT …;  -- rolls back what it changed". */
export function stepParts(next: string): { readonly sql: string; readonly words: string } {
  const sql = SQL.exec(next)?.[0] ?? "";
  return { sql, words: next.slice(sql.length).replace(/^\s*(?:--\s*)?/, "") };
}
