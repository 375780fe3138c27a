// From today's journal to what the ribbon of the day shows.
import type { JournalEntry } from "../../api/client";

export interface Stretch {
  automation: string;
  from: number;
  to: number;
  text: string;
}

export interface Dot {
  id: number;
  at: number;
  text: string;
  grave: boolean;
}

const GRAVE = /Failed|Silent|Locked|Unsent|Refused/;
const SHOWN = /Admitted|Removed|CommandConfirmed|HubStarted|PairingOpened|NoticeDelivered/;

/**
 * The stretches in which automations were on, from the first to the last edge; one that
 * is still on goes up to now.
 */
export function stretches(entries: JournalEntry[], from: number, now: number): Stretch[] {
  const open = new Map<string, JournalEntry>();
  const found: Stretch[] = [];
  for (const entry of [...entries].sort((a, b) => a.at - b.at || a.id - b.id)) {
    if (entry.event === "AutomationStarted") open.set(entry.automation, entry);
    if (entry.event === "AutomationEnded") {
      const start = open.get(entry.automation);
      open.delete(entry.automation);
      found.push({
        automation: entry.automation,
        from: start?.at ?? from,
        to: entry.at,
        text: start?.text ?? entry.text,
      });
    }
  }
  for (const [automation, start] of open)
    found.push({ automation, from: start.at, to: now, text: start.text });
  return found;
}

/** The other events worth a dot. */
export function dots(entries: JournalEntry[]): Dot[] {
  return entries
    .filter((e) => GRAVE.test(e.event) || SHOWN.test(e.event))
    .map((e) => ({ id: e.id, at: e.at, text: e.text, grave: GRAVE.test(e.event) }));
}
