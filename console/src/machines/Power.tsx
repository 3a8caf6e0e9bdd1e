import type { Machine } from '../api';
import { Status } from '../parts/Status';

/** Whether a machine runs, as its platform said at the last scan. */
export function Power({ machine }: { machine: Machine }) {
  if (machine.vanishedAt !== null) {
    return <Status tone="bad">vanished</Status>;
  }
  if (machine.on) {
    return <Status tone="good">on</Status>;
  }
  return <Status tone={machine.fenced ? 'plain' : 'waiting'}>{machine.fenced ? 'off, fenced' : 'off'}</Status>;
}
