import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';

export const ROLES = ['reader', 'planner', 'mover', 'approver', 'keeper'];

/** What each role is for, in the words of the command line's help. */
const MEANS: Record<string, string> = {
  reader: 'sees',
  planner: 'assesses, maps, plans',
  mover: 'loads, tests, moves',
  approver: 'answers approvals',
  keeper: 'sites, credentials, accounts',
};

/** Any of some roles. */
export function RoleChoice({ label, roles, value, onChange }: { label: string; roles: string[]; value: string[]; onChange: (roles: string[]) => void }) {
  return (
    <TextField
      select
      size="small"
      label={label}
      value={value}
      onChange={(e) => onChange(e.target.value as unknown as string[])}
      slotProps={{ select: { multiple: true, renderValue: (chosen) => (chosen as string[]).join(', ') } }}
      sx={{ minWidth: 200 }}
    >
      {roles.map((r) => (
        <MenuItem key={r} value={r}>
          {r}: {MEANS[r]}
        </MenuItem>
      ))}
    </TextField>
  );
}
