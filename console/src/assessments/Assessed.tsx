import Link from '@mui/material/Link';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { answer, api } from '../api';
import { money } from '../format';
import { Panel } from '../parts/Panel';
import { Rows } from '../parts/Rows';
import { Trouble } from '../parts/Trouble';

/** What it will need, whether it goes, and what it costs, as the newest revisions say. */
export function Assessed({ machine }: { machine: string }) {
  const { data, error } = useQuery({ queryKey: ['machine-assessments', machine], queryFn: () => answer(api.GET('/api/v1/machines/{machine}/assessments', { params: { path: { machine } } })), retry: false });
  return (
    <Panel title="Assessed" note="a month, the newest revision of each" wide>
      {error !== null && <Trouble error={error} />}
      {data !== undefined && (
      <Rows
        heads={[
          ['Assessment', 'left'],
          ['Target', 'left'],
          ['Verdict', 'left'],
          ['Configured', 'left'],
          ['A month', 'right'],
          ['Observed', 'left'],
          ['As used', 'right'],
          ['Accepted', 'left'],
          ['Reasons', 'left'],
        ]}
        rows={data.map((a) => ({
          key: a.assessment,
          cells: [
            <Link key="a" component={RouterLink} to={`/assessments/${encodeURIComponent(a.assessment)}/machines/${machine}`}>
              {a.assessment}
            </Link>,
            a.target === '' ? a.book : a.target,
            a.row.verdict,
            a.row.configuredSize === '' ? 'none' : a.row.configuredSize,
            `${money(a.row.configuredMonthly)} ${a.currency}`,
            a.row.observedSize === '' ? 'none' : a.row.observedSize,
            `${money(a.row.observedMonthly)} ${a.currency}`,
            a.row.accepted,
            a.row.reasons.join(', '),
          ],
        }))}
        none="It is in no assessment yet: choose it by a filter on the page Assessments."
      />
      )}
    </Panel>
  );
}
