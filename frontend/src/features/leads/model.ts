// A lead in words: for the screen, and to be copied.
import type { Schemas } from "../../api/client";
import { stepParts } from "../../lib/nextStep";
import { share } from "../../lib/units";

export type Lead = Schemas["LeadOut"];
export type Step = Schemas["LeadStepOut"];

/** The facts of a root that are known, in the order in which they are read. */
export function rootFacts(root: Lead["root"]): readonly (readonly [string, string])[] {
  const facts: readonly (readonly [string, string])[] = [
    ["program", root.program],
    ["process", root.pid === null ? "" : `pid ${root.pid}`],
    ["table", root.table],
    ["column", root.column],
    ["index", root.index],
    ["what", root.object],
    ["statement", root.statement],
  ];
  return facts.filter(([, value]) => value !== "");
}

/** A lead as Markdown, to be pasted where colleagues read. */
export function asMarkdown(lead: Lead, link: string): string {
  const { sql, words } = stepParts(lead.next_step);
  return [
    `**${lead.title}** (${lead.label}, explains ${share(lead.share)} of the load)`,
    "",
    ...lead.chain.map((step, i) => `${i + 1}. ${step.sentence}`),
    "",
    ...rootFacts(lead.root).map(([name, value]) => `- ${name}: \`${value}\``),
    ...lead.ruled_out.map((one) => `- not ${one.what}: ${one.why}`),
    "",
    `Next: ${words}`,
    ...(sql ? ["", "```sql", sql, "```"] : []),
    "",
    link,
    "",
  ].join("\n");
}
