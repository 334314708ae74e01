import './index.css';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { Tooltip } from 'radix-ui';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { Route, Switch } from 'wouter';
import { ShotPage } from './shot/page';
import { Slate } from './slate/slate';
import { TakePage } from './takes/take';
import { applyTheme } from './ui/theme';
import { Toasts } from './ui/toasts';

applyTheme();
const queries = new QueryClient({ defaultOptions: { queries: { retry: 1, staleTime: 1000 } } });
const root = document.getElementById('root');
if (!root) throw new Error('the page has no root');

createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <Tooltip.Provider>
        <Switch>
          <Route path="/">{() => <Slate />}</Route>
          <Route path="/productions/:id">{(p) => <Slate production={p.id} />}</Route>
          <Route path="/shots/:id">{(p) => <ShotPage key={p.id} id={p.id} />}</Route>
          <Route path="/takes/:id">{(p) => <TakePage key={p.id} id={p.id} />}</Route>
          <Route>
            <main className="grid h-full place-items-center">
              <p>
                There is nothing at this address.{' '}
                <a className="text-moss underline" href="/">
                  To the slate
                </a>
              </p>
            </main>
          </Route>
        </Switch>
        <Toasts />
      </Tooltip.Provider>
    </QueryClientProvider>
  </StrictMode>,
);
