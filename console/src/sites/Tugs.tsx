import { useQuery } from '@tanstack/react-query';
import { answer, api } from '../api';
import { moment } from '../format';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';

/** The workers that move disk bytes. */
export function Tugs() {
  const { data, error } = useQuery({ queryKey: ['tugs'], queryFn: () => answer(api.GET('/api/v1/tugs')) });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  return (
    <Panel title="Tugs" note="they move disk bytes; one runs inside the service">
      <Rows
        heads={[
          ['Tug', 'left'],
          ['Version', 'left'],
          ['Asked for work', 'left'],
          ['Passes at work', 'right'],
        ]}
        rows={data.map((t) => ({ key: t.name, cells: [t.name, t.version, moment(t.heardAt), t.passes] }))}
        none="No tug has asked for work yet."
      />
    </Panel>
  );
}
