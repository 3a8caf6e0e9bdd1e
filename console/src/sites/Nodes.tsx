import { useQuery } from '@tanstack/react-query';
import { answer, api } from '../api';
import { moment } from '../format';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Status } from '../parts/Status';
import { Trouble } from '../parts/Trouble';

/** The nodes of the service, which share its work. */
export function Nodes() {
  const { data, error } = useQuery({ queryKey: ['nodes'], queryFn: () => answer(api.GET('/api/v1/nodes')) });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <Panel title="Nodes" note="they serve, and share the work; another takes over what one did that is silent">
      <Rows
        heads={[
          ['Node', 'left'],
          ['State', 'left'],
          ['Host', 'left'],
          ['Since', 'left'],
          ['Clock ahead', 'right'],
          ['Passes', 'right'],
          ['Carries out', 'left'],
        ]}
        rows={data.map((n) => ({
          key: n.name,
          cells: [
            n.name,
            <Status key="s" tone={n.lives ? 'good' : 'bad'}>
              {n.lives ? 'serving' : `silent since ${moment(n.heardAt)}`}
            </Status>,
            `${n.host}, ${n.version}`,
            moment(n.startedAt),
            `${n.clockAheadSeconds.toFixed(1).replace(/^-0\.0$/, "0.0")} s`,
            n.passes,
            n.runs.join(', '),
          ],
        }))}
        none="No node has shown itself yet."
      />
    </Panel>
  );
}
