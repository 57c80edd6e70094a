import type { Schemas } from "../../api/client";
import { bytes, count } from "../../lib/units";

/** What matters of a statement's memory. `written` bytes of temporary data in the window, as the server counted. */
export const memorySentence = (memory: Schemas["MemoryOut"], written: number): string => {
  const bound = memory.settings.work_mem;
  const room = bound ? ` A sort or hash may take work_mem, ${setting(bound)}, before it goes to disk.` : "";
  const known =
    memory.captured === 0
      ? "No single execution is known in this window"
      : `${count(memory.spilled)} of ${count(memory.captured)} executions that were captured wrote temporary files`;
  const size =
    memory.spilled && memory.mean_bytes !== null && memory.most_bytes !== null
      ? `, ${bytes(memory.mean_bytes)} on average and ${bytes(memory.most_bytes)} at most`
      : "";
  const all =
    written > 0 ? `; all of them wrote ${bytes(written)} in this window.` : "; nothing was spilled in this window.";
  return `${known}${size}${all}${room}`;
};

/** A size as the server stores it: whole kilobytes. */
const setting = (kilobytes: string): string => {
  const n = Number(kilobytes);
  return Number.isFinite(n) ? bytes(n * 1024) : kilobytes;
};
