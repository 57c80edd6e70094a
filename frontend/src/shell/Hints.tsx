import { X } from "lucide-react";
import { useState } from "react";

const KEY = "faena-hints"; // in the browser's own memory: "off", or the hints that were closed

/** What to try on a screen of the demo, by its path. */
const HINTS: Readonly<Record<string, string>> = {
  "/": "Each row is a server. Where the column “trouble” says more than “watched”, click it: that is what is at fault now.",
  "/servers/$server/leads":
    "Read from above: what users feel, then why, down to the root. Each step has a link to its evidence. Draw on the rail above to look at another time.",
  "/servers/$server/load":
    "Above the line sessions run, below it they wait; colour and texture say for what. Click a value in a column below to narrow everything to it.",
  "/servers/$server/statements":
    "Ranked by the time they took. Click one for its plans and who runs it; “why it changed” splits a rise into its causes.",
  "/servers/$server/sessions": "Everybody on the server now. A pid leads to its tape: what it did, second by second.",
  "/servers/$server/blocking": "Who stands in whose way: each lane is a session, and the root is the one to look at.",
  "/servers/$server/endpoints":
    "Where the time of the application's requests goes. Go down to a request, and to its statements.",
  "/servers/$server/changes": "What changed, found by Faena or told by people. h notes one from anywhere.",
  "/alerts":
    "The demo has an inbox of its own, whose address was printed at the start. Make trouble, and wait for the mail.",
  "/cases": "k on any view keeps it in a case. Export one: the page opens without a network.",
};

const closed = (): readonly string[] => (localStorage.getItem(KEY) ?? "").split(" ").filter(Boolean);

/** A hint for whoever sees a screen of the demo for the first time; closed for good, one by one or all. */
export const Hints = ({ to }: { readonly to: string }) => {
  const [gone, setGone] = useState(closed);
  const hint = HINTS[to];
  const close = (what: string): void => {
    const next = [...closed(), what];
    localStorage.setItem(KEY, next.join(" "));
    setGone(next);
  };
  if (hint === undefined || gone.includes("off") || gone.includes(to)) return null;
  return (
    <aside
      aria-label="hint"
      className="bg-raised border-strong fixed right-4 bottom-4 z-20 flex max-w-md items-start gap-3 border px-3 py-2 text-sm shadow-sm print:hidden"
    >
      <p>
        {hint}{" "}
        <button type="button" className="text-accent underline" onClick={() => close("off")}>
          no more hints
        </button>
      </p>
      <button type="button" aria-label="close this hint" className="hover:text-accent" onClick={() => close(to)}>
        <X size={14} aria-hidden="true" />
      </button>
    </aside>
  );
};
