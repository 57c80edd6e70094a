import type { Schemas } from "../../api/client";
import { Choice } from "../../ui/Choice";
import type { Only } from "./queries";

interface Props {
  readonly choices: Schemas["ChoicesOut"] | undefined;
  readonly only: Only;
  readonly onOnly: (change: Pick<Only, "service" | "version" | "host">) => void;
}

const NAMES = ["service", "version", "host"] as const;

/** Requests of one service, version or host alone; nothing is offered where there is only one. */
export const OnlyChoices = ({ choices, only, onOnly }: Props) => (
  <span className="flex gap-4 text-sm">
    {NAMES.map((name) => {
      const values = choices?.[name] ?? [];
      const chosen = only[name] ?? "";
      if (values.length < 2 && chosen === "") return null;
      return (
        <span key={name}>
          {name}{" "}
          <Choice
            label={name}
            value={chosen}
            options={[{ value: "", label: "all" }, ...values.map((value) => ({ value, label: value }))]}
            onChange={(value) => onOnly({ [name]: value })}
          />
        </span>
      );
    })}
  </span>
);
