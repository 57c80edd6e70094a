import { useState } from "react";

import { Dialog } from "../ui/Dialog";
import { shortcutsOn, switchShortcuts } from "../ui/useShortcuts";
import { goWords, useViews } from "./places";

const keys = (views: string): readonly (readonly [string, string])[] => [
  ["[  ]", "step the window back and forth by half its length"],
  ["-  =", "make the window wider, narrower"],
  ["0", "follow now"],
  ["/", "search all that was seen, found or written, here or on all servers; and screens to go to"],
  ["g", `and then a letter goes to a view: ${views}`],
  [
    "arrows",
    "walk the sieve, and what was searched for; in the waterline, read bucket by bucket, with Shift draw a window",
  ],
  ["Shift ← →", "on a column's heading, make the column narrower and wider"],
  ["Enter", "pick the value; Shift adds it, Alt leaves it out"],
  ["k", "keep what is on the screen as evidence of a case"],
  ["h", "note a change"],
  ["o", "open the statement under the focus"],
  ["Backspace", "take back the last step of the trail"],
  ["?", "this list"],
];

/** All shortcuts. None of them fires while typing. */
export const Keys = ({ open, onClose }: { readonly open: boolean; readonly onClose: () => void }) => {
  const [on, setOn] = useState(shortcutsOn);
  return (
    <Dialog title="Keys" open={open} onClose={onClose}>
      <table className="w-full">
        <tbody>
          {keys(goWords(useViews())).map(([key, act]) => (
            <tr key={key} className="border-line border-t">
              <th className="w-32 py-1 text-left font-mono font-normal">{key}</th>
              <td>{act}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <label className="mt-3 block text-sm">
        <input
          type="checkbox"
          checked={on}
          onChange={(event) => {
            switchShortcuts(event.target.checked);
            setOn(event.target.checked);
          }}
        />{" "}
        single keys act in this browser
      </label>
    </Dialog>
  );
};
