import { useRouter } from "@tanstack/react-router";

import { zone } from "../lib/time";
import { ZONE_CHOICES, type ZoneChoice as Zone, chooseZone, zoneChoice } from "../lib/zone";
import { Choice } from "../ui/Choice";

const WORDS: Readonly<Record<Zone, string>> = {
  browser: "this browser's time",
  server: "the server's time",
  utc: "UTC",
};

interface Props {
  readonly at: number; // for which the offset is told
}

/** In which zone all times are shown, and the choice of another. */
export const ZoneChoice = ({ at }: Props) => {
  const router = useRouter();
  // The one that is chosen is named as it is; the others say whose they are.
  const options = ZONE_CHOICES.map((value) => ({ value, label: value === zoneChoice() ? zone(at) : WORDS[value] }));
  return (
    <span title="all times are in this zone">
      <Choice
        label="times are shown in"
        value={zoneChoice()}
        options={options}
        onChange={(next) => {
          chooseZone(next);
          router.history.go(0); // every word on the page tells a time; a page anew is sure to have none of the old
        }}
        className="text-sm"
      />
    </span>
  );
};
