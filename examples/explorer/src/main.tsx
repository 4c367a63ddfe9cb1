import '@mantine/core/styles.css';
import '@mantine/dates/styles.css';
import './style.css';
import { createTheme, MantineProvider } from '@mantine/core';
import { createRoot } from 'react-dom/client';
import { App } from './App.tsx';

const theme = createTheme({
  primaryColor: 'leaf',
  primaryShade: { light: 8, dark: 4 },
  fontFamily: 'DejaVu Sans, Verdana, sans-serif',
  headings: { fontFamily: 'DejaVu Sans, Verdana, sans-serif' },
  defaultRadius: 'sm',
  autoContrast: true,
  colors: {
    leaf: ['#eef6f0', '#dcebe0', '#b7d6c0', '#8fc09e', '#6dad81', '#57a16e', '#4a9b64', '#3a8653', '#14532d', '#0d3f21'],
  },
});

createRoot(document.getElementById('root') as HTMLElement).render(
  <MantineProvider theme={theme} defaultColorScheme="auto">
    <App />
  </MantineProvider>,
);
