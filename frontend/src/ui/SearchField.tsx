import { useDraft } from "./useDraft";

interface Props {
  readonly label: string;
  readonly placeholder: string;
  readonly value: string; // what counts now, for instance what the address says
  readonly onChange: (value: string) => void; // at Enter, and when one leaves the field
  readonly onType?: (value: string) => void; // at each letter
  readonly className?: string;
}

/** Words to look for. What counts wins over what was typed before: after Back the field says what is shown. */
export const SearchField = ({ label, placeholder, value, onChange, onType, className = "" }: Props) => {
  const [text, setText] = useDraft(value);
  const commit = (): void => {
    if (text !== value) onChange(text);
  };
  return (
    <input
      type="search"
      aria-label={label}
      placeholder={placeholder}
      value={text}
      onChange={(event) => {
        setText(event.target.value);
        onType?.(event.target.value);
      }}
      onKeyDown={(event) => {
        if (event.key === "Enter") {
          event.preventDefault();
          commit();
        }
      }}
      onBlur={commit}
      className={`border-line bg-raised border px-2 py-0.5 ${className}`}
    />
  );
};
