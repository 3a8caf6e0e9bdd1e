import { createTheme } from '@mui/material/styles';

// Colour roles, spacing and type are written down in console/README.md.
declare module '@mui/material/styles' {
  interface Palette { water: string; lockwall: string; barge: string }
  interface PaletteOptions { water?: string; lockwall?: string; barge?: string }
}

const light = {
  primary: { main: '#24595d' },
  secondary: { main: '#8a5518' },
  success: { main: '#2d6a3a' },
  warning: { main: '#8a5a00' },
  error: { main: '#a3312a' },
  info: { main: '#2f5f9e' },
  background: { default: '#f4f3ef', paper: '#fdfcf9' },
  text: { primary: '#1f2628', secondary: '#566164' },
  divider: '#d9d6cc',
  water: '#cfe0e0',
  lockwall: '#8d9594',
  barge: '#8a5518',
};

const dark = {
  primary: { main: '#86bfc2' },
  secondary: { main: '#d9a566' },
  success: { main: '#86c08f' },
  warning: { main: '#dcb058' },
  error: { main: '#e58e85' },
  info: { main: '#93b7e6' },
  background: { default: '#15191a', paper: '#1d2223' },
  text: { primary: '#e6e8e6', secondary: '#a2adae' },
  divider: '#343b3c',
  water: '#23393b',
  lockwall: '#77807f',
  barge: '#d9a566',
};

export const theme = createTheme({
  colorSchemes: { light: { palette: light }, dark: { palette: dark } },
  spacing: 8,
  shape: { borderRadius: 4 },
  typography: {
    fontFamily: '"Source Sans 3", "Noto Sans", "DejaVu Sans", system-ui, sans-serif',
    fontSize: 13,
    h1: { fontSize: '1.35rem', fontWeight: 600 },
    h2: { fontSize: '0.98rem', fontWeight: 600 },
    button: { textTransform: 'none', fontWeight: 600 },
  },
  components: {
    MuiPaper: { defaultProps: { elevation: 0, variant: 'outlined' } },
    MuiButton: { defaultProps: { disableElevation: true, size: 'small' } },
    MuiTableCell: { styleOverrides: { root: { padding: '4px 8px', fontVariantNumeric: 'tabular-nums' }, head: { fontWeight: 600 } } },
    MuiButtonBase: { defaultProps: { disableRipple: true }, styleOverrides: { root: { '&:focus-visible': { outline: '2px solid currentColor', outlineOffset: 2 } } } },
  },
});
