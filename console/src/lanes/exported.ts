import { answer, api, type Lane, type Placed } from '../api';
import { csv, saved } from '../format';

const LARGEST = 500;

/** A line for each card of a plan, as the service reads it. */
export function lines(plan: Placed[]): string[][] {
  return [['machine', 'id', 'wave', 'card', 'network', 'former', 'subnet', 'address', 'kept', 'rule'], ...plan.flatMap((m) => m.cards.map((c) => [m.machine, m.id, m.wave, String(c.card), c.network, c.formerAddress, c.subnet, c.address, c.kept ? 'yes' : 'no', c.rule]))];
}

/** The address plan of a lane as a file: a page of the service after the other. */
export async function exportAddresses(lane: Lane): Promise<void> {
  const all: Placed[] = [];
  for (let page = 0; ; page++) {
    const part = await answer(api.GET('/api/v1/lanes/{lane}/plan', { params: { path: { lane: lane.id }, query: { page, size: LARGEST, filter: '', found: false } } }));
    all.push(...part.items);
    if (part.items.length < LARGEST) {
      break;
    }
  }
  saved(`${lane.name}-addresses.csv`, csv(lines(all)));
}
