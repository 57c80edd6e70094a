import { useState } from "react";

interface Props {
  readonly label: string;
  readonly groups: readonly string[];
  readonly none: string; // what no group means
  readonly onChange: (groups: string[]) => void;
  readonly className?: string;
}

/** Groups of servers, with commas between; kept when one leaves the field. Follows what others change until one types. */
export const GroupsField = ({ label, groups, none, onChange, className = "w-28" }: Props) => {
  const now = groups.join(", ");
  const [text, setText] = useState(now);
  const [seen, setSeen] = useState(now);
  if (seen !== now) {
    setSeen(now);
    if (text === seen) setText(now);
  }
  const keep = (): void => {
    const told = text
      .split(",")
      .map((one) => one.trim())
      .filter(Boolean);
    if (told.join() !== groups.join()) onChange(told);
  };
  return (
    <input
      value={text}
      aria-label={label}
      placeholder={none}
      onChange={(event) => setText(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === "Enter") keep();
      }}
      className={`bg-raised border-line border px-1 ${className}`}
    />
  );
};
