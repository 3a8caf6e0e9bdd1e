import Box from '@mui/material/Box';
import { useTheme } from '@mui/material/styles';
import type { Gate, Member } from '../api';

const CHAMBER = 104;
const DROP = 2;
const LEFT = 150;
const HEIGHT = 104;

interface Props {
  member: Member;
  chosen: string;
  onChoose: (gate: string) => void;
}

/** One lock gate from above the water: leaves folded back against the wall when open, meeting in a mitre when shut. */
function Leaves({ open, x, y, colour }: { open: boolean; x: number; y: number; colour: string }) {
  return open ? (
    <g stroke={colour} strokeWidth="2.5" fill="none">
      <path d={`M${x} ${y - 22}h13`} />
      <path d={`M${x} ${y + 22}h13`} />
    </g>
  ) : (
    <g stroke={colour} strokeWidth="3.5" fill="none" strokeLinecap="round">
      <path d={`M${x} ${y - 22}l9 22`} />
      <path d={`M${x} ${y + 22}l9 -22`} />
    </g>
  );
}

/** How many gates from the first are open without a break: the chamber in which the barge lies. */
export function reached(gates: Gate[]): number {
  const shut = gates.findIndex((g) => !g.open);
  return shut < 0 ? gates.length : shut;
}

/**
 * A machine's place along the eight gates, as a barge in a flight of locks. Gates further on may be open
 * already; the barge lies before the first one that is shut.
 */
export function Flight({ member, chosen, onChoose }: Props) {
  const { palette } = useTheme();
  const at = reached(member.gates);
  const width = LEFT + CHAMBER * member.gates.length + 96;
  const level = (i: number) => 34 + DROP * i;
  const gateAt = (i: number) => LEFT + CHAMBER * (i + 1) - 12;
  return (
    <Box sx={{ overflowX: 'auto' }}>
      <svg width={width} height={HEIGHT} viewBox={`0 0 ${width} ${HEIGHT}`} role="group" aria-label={`${member.name}: ${at} of ${member.gates.length} gates passed`} style={{ display: 'block' }}>
        <text x="0" y="30" fill={palette.text.primary} fontSize="14" fontWeight="600">
          {member.name}
        </text>
        <text x="0" y="48" fill={palette.text.secondary} fontSize="12">
          rank {member.rank} · {member.size !== '' ? member.size : member.gates.some((g) => g.gate === 'sized' && g.open) ? 'as built' : 'no size yet'}
        </text>
        <text x="0" y="64" fill={palette.text.secondary} fontSize="12">
          at {member.stands}
        </text>
        {Array.from({ length: member.gates.length + 1 }, (_, i) => (
          <rect key={i} x={i === 0 ? LEFT : gateAt(i - 1)} y={level(i) - 22} width={i === member.gates.length ? 80 : gateAt(i) - (i === 0 ? LEFT : gateAt(i - 1))} height="44" fill={palette.water} opacity={i <= at ? 1 : 0.45} />
        ))}
        <g>
          <path
            d={`M${LEFT + CHAMBER * at + 20} ${level(at) - 8}h42l8 8l-8 8h-42z`}
            fill={palette.barge}
          />
          <rect x={LEFT + CHAMBER * at + 24} y={level(at) - 4} width="14" height="8" fill={palette.background.paper} opacity="0.85" />
        </g>
        {member.gates.map((g, i) => {
          const x = gateAt(i);
          const y = (level(i) + level(i + 1)) / 2;
          const colour = g.open ? palette.success.main : i === at ? palette.error.main : palette.lockwall;
          return (
            <g
              key={g.gate}
              role="button"
              tabIndex={0}
              aria-pressed={chosen === g.gate}
              aria-label={`${g.gate}: ${g.open ? 'open' : 'shut'}`}
              onClick={() => onChoose(g.gate)}
              onKeyDown={(e) => {
                if (e.key === 'Enter' || e.key === ' ') {
                  e.preventDefault();
                  onChoose(g.gate);
                }
              }}
              style={{ cursor: 'pointer' }}
            >
              <rect x={x - 40} y="4" width="88" height={HEIGHT - 6} fill="transparent" stroke={chosen === g.gate ? palette.primary.main : 'none'} rx="4" />
              <rect x={x - 3} y={y - 26} width="6" height="4" fill={palette.lockwall} />
              <rect x={x - 3} y={y + 22} width="6" height="4" fill={palette.lockwall} />
              <Leaves open={g.open} x={x} y={y} colour={colour} />
              <text x={x + 4} y={HEIGHT - 8} textAnchor="middle" fontSize="11.5" fill={colour}>
                {g.gate} · {g.open ? 'open' : 'shut'}
              </text>
            </g>
          );
        })}
      </svg>
    </Box>
  );
}
