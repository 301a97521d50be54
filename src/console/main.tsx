import '@fontsource-variable/literata/opsz.css';
import '@fontsource-variable/source-sans-3';
import '@fontsource-variable/source-code-pro';
import '@mantine/core/styles.css';
import './style.css';
import { MantineProvider } from '@mantine/core';
import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { Refusal, refusalCode } from '../client/send.ts';
import { keys } from './api/keys.ts';
import { App } from './app.tsx';
import { cssVariablesResolver, theme } from './theme.ts';

/** A session that ended, here or elsewhere: whoever was signed in is asked to sign in again, where they were. */
const onError = (error: unknown): void => {
  if (!(error instanceof Refusal) || refusalCode(error.problem) !== 'not-signed-in') return;
  if (queries.getQueryData(keys.session)) queries.setQueryData(keys.session, null);
};

const queries = new QueryClient({
  queryCache: new QueryCache({ onError }),
  mutationCache: new MutationCache({ onError }),
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
        <App />
      </QueryClientProvider>
    </MantineProvider>
  </StrictMode>,
);
