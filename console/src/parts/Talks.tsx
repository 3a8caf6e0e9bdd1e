import Box from '@mui/material/Box';
import { useTheme } from '@mui/material/styles';
import { useQuery } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import { get, type Connection, type End, type Machine, type Page } from '../api';
import { moment, neighbours, size, type Neighbour } from '../format';
import { MachineLink } from './MachineLink';
import { Panel } from './Panel';
import { Rows } from './Rows';
import { Trouble } from './Trouble';

const MOST = 500;
const DRAWN = 12;
const TABLED = 15;
const ROW = 26;
const WIDTH = 1100;
const BOX = 300;

function Side({ all, left, height, onOpen }: { all: Neighbour[]; left: boolean; height: number; onOpen: (id: string) => void }) {
  const { palette } = useTheme();
  const top = (height - all.length * ROW) / 2;
  const edge = left ? BOX : WIDTH - BOX;
  const middle = left ? WIDTH / 2 - 90 : WIDTH / 2 + 90;
  const logs = all.map((n) => Math.log(Math.max(2, n.bytes)));
  const least = Math.min(...logs);
  const range = Math.max(1, Math.max(...logs) - least);
  return all.map((n, i) => {
    const y = top + i * ROW + ROW / 2;
    const colour = n.id === null ? palette.text.secondary : palette.primary.main;
    return (
      <g key={n.label}>
        <path d={`M${edge} ${y} C ${(edge + middle) / 2} ${y}, ${(edge + middle) / 2} ${height / 2}, ${middle} ${height / 2}`} fill="none" stroke={colour} strokeOpacity={0.45} strokeWidth={1 + (5 * (logs[i] - least)) / range} />
        <text
          xmlSpace="preserve"
          x={left ? edge - 6 : edge + 6}
          y={y + 4}
          fontSize="13"
          fill={colour}
          textAnchor={left ? 'end' : 'start'}
          role={n.id === null ? undefined : 'link'}
          tabIndex={n.id === null ? undefined : 0}
          style={{ cursor: n.id === null ? 'default' : 'pointer' }}
          onClick={() => n.id !== null && onOpen(n.id)}
          onKeyDown={(e) => n.id !== null && e.key === 'Enter' && onOpen(n.id)}
        >
          {!left && n.label}
          <tspan fontSize="11" fill={palette.text.secondary}>{left ? `${n.ports} · ${size(n.bytes)}  ` : `  ${n.ports} · ${size(n.bytes)}`}</tspan>
          {left && n.label}
        </text>
      </g>
    );
  });
}

/** The machine in the middle, who calls it on the left, whom it calls on the right; the widest carry most bytes. */
function Neighbourhood({ name, callers, called }: { name: string; callers: Neighbour[]; called: Neighbour[] }) {
  const { palette } = useTheme();
  const navigate = useNavigate();
  const height = Math.max(3, callers.length, called.length) * ROW + 12;
  const open = (id: string) => void navigate(`/machines/${id}`);
  return (
    <svg viewBox={`0 0 ${WIDTH} ${height}`} width="100%" role="img" aria-label={`${callers.length} call ${name}, which calls ${called.length}`} style={{ maxHeight: 380 }}>
      <Side all={callers} left height={height} onOpen={open} />
      <Side all={called} left={false} height={height} onOpen={open} />
      <rect x={WIDTH / 2 - 90} y={height / 2 - 15} width={180} height={30} rx={4} fill={palette.background.paper} stroke={palette.text.primary} />
      <text x={WIDTH / 2} y={height / 2 + 5} fontSize="14" fontWeight={700} fill={palette.text.primary} textAnchor="middle">
        {name}
      </text>
    </svg>
  );
}

const told = (end: End) => (end.machineId === null || end.machine === null ? end.address : <MachineLink id={end.machineId} name={end.machine} />);

/** Whom a machine talks to, drawn and listed. */
export function Talks({ machine }: { machine: Machine }) {
  const { data, error } = useQuery({ queryKey: ['connections', machine.id], queryFn: () => get<Page<Connection>>(`/connections?machine=${machine.id}&size=${MOST}`), meta: { scanned: true } });
  if (data === undefined) {
    return error === null ? null : <Trouble error={error} />;
  }
  const callers = neighbours(data.items, machine.id, 'client');
  const called = neighbours(data.items, machine.id, 'server');
  const hidden = Math.max(0, callers.length - DRAWN) + Math.max(0, called.length - DRAWN);
  return (
    <Panel title="Talks to" note={`${callers.length} call it, it calls ${called.length}${hidden > 0 ? `; those with most bytes are drawn` : ''}`} wide>
      {data.items.length > 0 && <Neighbourhood name={machine.name} callers={callers.slice(0, DRAWN)} called={called.slice(0, DRAWN)} />}
      <Box sx={{ mt: 1 }}>
        <Rows
          heads={[
            ['Client', 'left'],
            ['Server', 'left'],
            ['Port', 'left'],
            ['Process', 'left'],
            ['Connections', 'right'],
            ['Bytes', 'right'],
            ['First seen', 'left'],
            ['Last seen', 'left'],
          ]}
          rows={data.items.slice(0, TABLED).map((c, i) => ({
            key: String(i),
            cells: [told(c.client), told(c.server), `${c.protocol} ${c.port}`, c.process, c.count.toLocaleString(), size(c.bytes), moment(c.firstSeen), moment(c.lastSeen)],
          }))}
          none="No connections of it are known. Sites that watch them tell when they are scanned."
        />
        {data.total > TABLED && `The ${TABLED} with most bytes of ${data.total}; all: bargelane connection list --machine ${machine.name}`}
      </Box>
    </Panel>
  );
}
