import { TriangleAlert } from "lucide-react";

import { Button } from "./Button";

interface Props {
  readonly title: string;
  readonly detail: string;
  readonly remedy?: string | null;
  readonly retry?: () => void;
}

/** What failed, what still holds and what to do. */
export const Failure = ({ title, detail, remedy, retry }: Props) => (
  <div role="alert" className="border-danger my-2 flex items-start gap-2 border-l-2 px-3 py-1">
    <TriangleAlert size={16} className="text-danger mt-0.5 shrink-0" aria-hidden="true" />
    <div className="grow">
      <b className="font-semibold">{title}.</b> {detail}
      {remedy ? <pre className="mt-1 font-mono text-xs whitespace-pre-wrap">{remedy}</pre> : null}
    </div>
    {retry ? <Button onClick={retry}>try again</Button> : null}
  </div>
);
