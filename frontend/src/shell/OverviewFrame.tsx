import type { ReactNode } from "react";

import { present } from "../lib/time";
import { type Base, type WindowSpec, windowOf } from "../lib/view";
import { useChange } from "./screen";
import { useWindowKeys } from "./windowKeys";
import { WindowPicker } from "./WindowPicker";
import { ZoneChoice } from "./ZoneChoice";

interface Props {
  readonly title: ReactNode;
  readonly search: Base;
  readonly usual: WindowSpec; // the window when none was chosen
  readonly children: ReactNode;
}

/** A title and the window above views of several servers; the same keys move it. */
export const OverviewFrame = ({ title, search, usual, children }: Props) => {
  const change = useChange();
  const spec = search.last === undefined && search.from === undefined ? usual : windowOf(search);
  const show = (window: WindowSpec): void => change(window);
  useWindowKeys(spec, change);
  return (
    <div className="pane-column">
      <div className="border-line grid shrink-0 grid-cols-[minmax(0,1fr)_264px] items-end gap-5 small:grid-cols-1 small:gap-1 border-b px-6 pt-1.5 pb-1">
        <div>
          <h1 className="text-lg font-semibold">{title}</h1>
          <p className="text-muted text-sm">
            all times in <ZoneChoice at={present()} />
          </p>
        </div>
        <div className="text-sm">
          <WindowPicker spec={spec} now={present()} onWindow={show} />
        </div>
      </div>
      <div className="pane-rest">{children}</div>
    </div>
  );
};
