import { useState } from "react";

/** What is typed over a value that counts. When the value becomes another, as after Back, it takes the draft's place. */
export function useDraft(value: string): readonly [string, (draft: string) => void] {
  const [draft, setDraft] = useState(value);
  const [counted, setCounted] = useState(value);
  if (counted !== value) {
    setCounted(value);
    setDraft(value);
  }
  return [draft, setDraft];
}
