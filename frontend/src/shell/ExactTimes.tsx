import { useState } from "react";

import { present, readMoment, writeMoment } from "../lib/time";
import type { WindowSpec } from "../lib/view";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";

interface Props {
  readonly title?: string;
  readonly from: number;
  readonly to: number;
  readonly onClose: () => void;
  readonly onWindow: (spec: WindowSpec) => void;
}

/** The window by two moments that are typed. */
export const ExactTimes = ({ title = "Exact times", from, to, onClose, onWindow }: Props) => {
  const [start, setStart] = useState(writeMoment(from));
  const [end, setEnd] = useState(writeMoment(to));
  const [wrong, setWrong] = useState("");
  const submit = (): void => {
    const [a, b] = [readMoment(start, present()), readMoment(end, present())];
    if (a === null || b === null)
      setWrong(`“${a === null ? start : end}” is not a moment; write 09:20, 09:20:15 or 2026-11-23 09:20`);
    else if (b <= a) setWrong("the end must lie after the start");
    else {
      onWindow({ from: a, to: b });
      onClose();
    }
  };
  return (
    <Dialog title={title} open onClose={onClose}>
      <form
        className="flex items-end gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          submit();
        }}
      >
        {(
          [
            ["from", start, setStart],
            ["to", end, setEnd],
          ] as const
        ).map(([label, value, set]) => (
          <label key={label} className="block">
            <span className="text-muted block text-sm">{label}</span>
            <input
              value={value}
              onChange={(event) => set(event.target.value)}
              className="bg-raised border-strong w-52 border px-2 py-1 font-mono"
            />
          </label>
        ))}
        <Button type="submit" look="action" className="py-1">
          show
        </Button>
      </form>
      <p role="alert" className="text-danger mt-2 min-h-5">
        {wrong}
      </p>
    </Dialog>
  );
};
