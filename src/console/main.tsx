import '@fontsource-variable/literata/opsz.css';
import '@fontsource-variable/source-sans-3';
import '@fontsource-variable/source-code-pro';
import '@mantine/core/styles.css';
import './style.css';
import { MantineProvider } from '@mantine/core';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter } from 'react-router';
import { Refusal } from '../client/calls.ts';
import { App } from './app.tsx';
import { cssVariablesResolver, theme } from './theme.ts';

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 2000,
      retry: (times, error) => !(error instanceof Refusal) && times < 2,
      refetchOnWindowFocus: false,
    },
  },
});

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <MantineProvider theme={theme} cssVariablesResolver={cssVariablesResolver} defaultColorScheme="auto">
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <App />
        </BrowserRouter>
      </QueryClientProvider>
    </MantineProvider>
  </StrictMode>,
);
