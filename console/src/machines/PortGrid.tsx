import Box from '@mui/material/Box';
import { useTheme } from '@mui/material/styles';
import { useNavigate } from 'react-router';
import { portGrid, size, type PortMark } from '../format';

const ROW = 26;
const HEAD = 26;
const COLUMN = 74;
const NAMES = 250;
const LARGEST = 10;

/** A mark: its size is the bytes, its shape the direction. A wedge to the right leaves the machine, one to the left comes in, a lozenge is both. */
function Mark({ mark, x, y, radius, colour, title }: { mark: PortMark; x: number; y: number; radius: number; colour: string; title: string }) {
  const r = radius;
  const points =
    mark.direction === 'out'
      ? [[x - r, y - r], [x + r, y], [x - r, y + r]]
      : mark.direction === 'in'
        ? [[x + r, y - r], [x - r, y], [x + r, y + r]]
        : [[x - r, y], [x, y - r], [x + r, y], [x, y + r]];
  return (
    <polygon points={points.map((p) => p.join(',')).join(' ')} fill={colour}>
      <title>{title}</title>
    </polygon>
  );
}

const WORDS = { out: 'calls it', in: 'is called by it', both: 'calls it and is called by it' } as const;

/** Who a machine talks to: peers as rows, ports as columns. */
export function PortGrid({ name, connections, machine, rows, columns }: { name: string; connections: Parameters<typeof portGrid>[0]; machine: string; rows: number; columns: number }) {
  const { palette } = useTheme();
  const navigate = useNavigate();
  const grid = portGrid(connections, machine, rows, columns);
  const width = NAMES + grid.ports.length * COLUMN + 12;
  const height = HEAD + grid.peers.length * ROW + 4;
  const logs = grid.peers.flatMap((p) => p.marks.map((m) => Math.log(Math.max(2, m.bytes))));
  const least = Math.min(...logs);
  const range = Math.max(1, Math.max(...logs) - least);
  const open = (id: string) => void navigate(`/machines/${id}`);
  return (
    <Box sx={{ overflowX: 'auto' }}>
      <svg viewBox={`0 0 ${width} ${height}`} width={width} height={height} role="img" aria-label={`${name} and ${grid.peers.length} peers on ${grid.ports.length} ports`} style={{ maxWidth: 'none' }}>
        {grid.ports.map((port, i) => (
          <text key={port} x={NAMES + i * COLUMN + COLUMN / 2} y={16} fontSize="12" fill={palette.text.secondary} textAnchor="middle">
            {port}
          </text>
        ))}
        {grid.peers.map((peer, i) => {
          const y = HEAD + i * ROW + ROW / 2;
          return (
            <g key={peer.label}>
              <line x1={0} x2={width} y1={y + ROW / 2} y2={y + ROW / 2} stroke={palette.divider} />
              <text
                x={4}
                y={y + 4}
                fontSize="13"
                fill={peer.id === null ? palette.text.secondary : palette.primary.main}
                role={peer.id === null ? undefined : 'link'}
                tabIndex={peer.id === null ? undefined : 0}
                style={{ cursor: peer.id === null ? 'default' : 'pointer' }}
                onClick={() => peer.id !== null && open(peer.id)}
                onKeyDown={(e) => peer.id !== null && e.key === 'Enter' && open(peer.id)}
              >
                {peer.label}
              </text>
              {peer.marks.map((mark) => (
                <Mark
                  key={mark.port}
                  mark={mark}
                  x={NAMES + grid.ports.indexOf(mark.port) * COLUMN + COLUMN / 2}
                  y={y}
                  radius={3 + ((LARGEST - 3) * (Math.log(Math.max(2, mark.bytes)) - least)) / range}
                  colour={mark.direction === 'in' ? palette.barge : palette.primary.main}
                  title={`${name} ${WORDS[mark.direction]}: ${peer.label}, port ${mark.port}, ${size(mark.bytes)}`}
                />
              ))}
            </g>
          );
        })}
      </svg>
    </Box>
  );
}
