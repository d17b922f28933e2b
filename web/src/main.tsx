import { QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { createBrowserRouter, Navigate, RouterProvider } from 'react-router';
import { BASE, RUN } from './api/base';
import { queries } from './api/queries';
import { Frame } from './frame/Frame';
import { ViewFault } from './ui/Fault';
import './index.css';
import './ui/theme';

if (RUN !== undefined) document.documentElement.dataset.run = RUN;

const router = createBrowserRouter(
  [
    {
      path: '/',
      element: <Frame />,
      // Shown while the first view's script is read.
      HydrateFallback: () => null,
      children: [
        { index: true, element: <Navigate to="/rounds" replace /> },
        {
          path: 'rounds',
          errorElement: <ViewFault />,
          lazy: async () => ({ Component: (await import('./views/rounds/RoundsView')).RoundsView }),
        },
        {
          path: 'rules',
          errorElement: <ViewFault />,
          lazy: async () => ({ Component: (await import('./views/rules/RulesView')).RulesView }),
        },
        {
          path: 'days',
          errorElement: <ViewFault />,
          lazy: async () => ({ Component: (await import('./views/days/DaysView')).DaysView }),
        },
        {
          path: 'scout/:part?/:symbol?',
          errorElement: <ViewFault />,
          lazy: async () => ({ Component: (await import('./views/scout/ScoutView')).ScoutView }),
        },
        {
          path: 'chain/:symbol?',
          errorElement: <ViewFault />,
          lazy: async () => ({ Component: (await import('./views/chain/ChainView')).ChainView }),
        },
        {
          path: 'bench',
          errorElement: <ViewFault />,
          lazy: async () => ({ Component: (await import('./views/bench/BenchView')).BenchView }),
        },
        {
          path: 'orders',
          errorElement: <ViewFault />,
          lazy: async () => ({ Component: (await import('./views/orders/OrdersView')).OrdersView }),
        },
        {
          path: 'book',
          errorElement: <ViewFault />,
          lazy: async () => ({ Component: (await import('./views/book/BookView')).BookView }),
        },
        {
          path: 'campaign/:id',
          errorElement: <ViewFault />,
          lazy: async () => ({
            Component: (await import('./views/campaign/CampaignView')).CampaignView,
          }),
        },
        {
          path: 'rework/:id',
          errorElement: <ViewFault />,
          lazy: async () => ({
            Component: (await import('./views/rework/ReworkView')).ReworkView,
          }),
        },
        {
          path: 'balance/:part?',
          errorElement: <ViewFault />,
          lazy: async () => ({
            Component: (await import('./views/balance/BalanceView')).BalanceView,
          }),
        },
        {
          path: 'ledger',
          errorElement: <ViewFault />,
          lazy: async () => ({ Component: (await import('./views/ledger/LedgerView')).LedgerView }),
        },
        {
          path: 'lessons',
          errorElement: <ViewFault />,
          lazy: async () => ({
            Component: (await import('./views/lessons/LessonsView')).LessonsView,
          }),
        },
        {
          path: 'rehearsal/:part?',
          errorElement: <ViewFault />,
          lazy: async () => ({
            Component: (await import('./views/rehearsal/RehearsalView')).RehearsalView,
          }),
        },
        {
          path: '*',
          element: (
            <p className="p-6">Nothing is at this address. The views are listed at the left.</p>
          ),
        },
      ],
    },
  ],
  { basename: BASE || '/' },
);
const root = document.getElementById('root');
if (!root) throw new Error('no #root');
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  </StrictMode>,
);
