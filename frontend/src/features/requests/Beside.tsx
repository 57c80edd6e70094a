import type { Schemas } from "../../api/client";
import { clock, stamp, when } from "../../lib/time";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Changes } from "./Changes";
import { Sides, sideOf } from "./Sides";

type Page = Schemas["EndpointPageOut"];

interface Props {
  readonly server: number;
  readonly page: Page;
  readonly now: Schemas["EndpointOut"];
  readonly beside: string; // as the address holds it
  readonly version: string; // that is looked at alone, or empty
  readonly onBeside: (beside: string) => void;
}

const EARLIER = [
  { value: "", label: "the window before" },
  { value: "hour", label: "an hour earlier" },
  { value: "day", label: "a day earlier" },
  { value: "week", label: "a week earlier" },
] as const;

/** A span of time in few words: "today 10:00 – 10:15". */
const spanWords = (from: number, to: number): string => `${when(from)} – ${clock(to)}`;

/** What can stand beside: the past, another version, or a window that was chosen. */
function options(page: Page, beside: string, version: string) {
  const versions = page.choices.version.filter((one) => one !== version);
  const kept = beside.includes("~") && !beside.startsWith("version:");
  return [
    ...EARLIER,
    ...(version ? versions.map((one) => ({ value: `version:${one}`, label: `version ${one}` })) : []),
    ...(kept ? [{ value: beside, label: spanWords(page.beside_start, page.beside_end) }] : []),
  ];
}

/** The endpoint beside itself: at another time, or another version of it. */
export const Beside = ({ server, page, now, beside, version, onBeside }: Props) => {
  const here = `${page.start}~${page.end}`;
  const other = page.beside_version ? `version ${page.beside_version}` : "then";
  return (
    <section className="mt-4" aria-label="Beside">
      <h2 className="border-strong flex items-baseline justify-between gap-4 border-b font-semibold">
        <span>
          Beside <Choice label="beside" value={beside} options={options(page, beside, version)} onChange={onBeside} />
        </span>
        <span className="text-muted text-sm font-normal">
          {page.beside_version ? null : `${stamp(page.beside_start)} – ${stamp(page.beside_end)}`}{" "}
          {beside === here ? (
            "move the window: it stands beside this one"
          ) : (
            <Button className="ml-2 text-xs" onClick={() => onBeside(here)}>
              keep this window for comparing
            </Button>
          )}
        </span>
      </h2>
      {page.before === null ? (
        <p className="text-muted">There was no request {page.beside_version ? `of ${other}` : "then"}.</p>
      ) : (
        <div className="mt-1 grid grid-cols-[320px_minmax(0,1fr)] gap-x-8">
          <Sides
            label="one request beside the others"
            first={sideOf(version && page.beside_version ? `version ${version}` : "now", now)}
            second={sideOf(other, page.before)}
          />
          <div className="min-w-0">
            <Changes server={server} changes={page.changes} tookMs={now.mean_ms} headings={["now", other]} />
          </div>
        </div>
      )}
    </section>
  );
};
