import { Link } from "@tanstack/react-router";

import { Failure } from "../ui/Failure";

interface Props {
  readonly error: unknown;
  readonly reset: () => void;
}

/** In place of a view that threw: our mistake, said as such, with the ways on. */
export const BrokenView = ({ error, reset }: Props) => (
  <div className="px-6 py-4">
    <Failure
      title="This view cannot be drawn"
      detail={`Faena stumbled over “${error instanceof Error ? error.message : String(error)}”, which is its mistake and not yours. All that is recorded is unharmed, and so are the other views.`}
      retry={reset}
    />
    <Link to="/" className="text-accent hover:underline">
      to the servers
    </Link>
  </div>
);
