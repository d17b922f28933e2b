import { Tooltip } from 'radix-ui';
import { lazy, Suspense, useEffect, useMemo, useState } from 'react';
import { Outlet, useNavigate } from 'react-router';
import { RUN } from '../api/base';
import { connect, useLive } from '../api/live';
import { keepAtOnce, loadDrafts, useDrafts } from '../drafts/store';
import { Drawer } from '../ticket/Drawer';
import { Fault } from '../ui/Fault';
import { useCommands, type Acts } from '../ui/commands';
import { toggleTheme } from '../ui/theme';
import { Find } from './Find';
import { Help } from './Help';
import { Masthead } from './Masthead';
import { Spine, VIEWS } from './Spine';
import { Toasts } from './Toasts';
import { Tray } from './Tray';
import { Walk } from './Walk';

const RunBand = lazy(() => import('./RunBand'));

/** Spine, masthead, tray and drawer around the view. */
export function Frame() {
  const navigate = useNavigate();
  const readOnly = useLive((s) => s.masthead?.readOnly);
  const stands = useLive((s) => s.clock?.stands);
  const lost = useLive((s) => s.everConnected && !s.connected);
  const problem = useDrafts((s) => s.problem);
  const drafted = useDrafts((s) => s.loaded);
  const [finding, setFinding] = useState(false);
  const [helping, setHelping] = useState(false);
  const [walking, setWalking] = useState(false);
  useEffect(connect, []);
  useEffect(() => {
    void loadDrafts();
    window.addEventListener('pagehide', keepAtOnce);
    return () => {
      window.removeEventListener('pagehide', keepAtOnce);
    };
  }, []);
  const unread = useDrafts((s) => s.unread);
  const acts = useMemo(
    (): Acts => ({
      find: () => {
        setFinding(true);
      },
      help: () => {
        setHelping(true);
      },
      theme: toggleTheme,
      walk: () => {
        setWalking(true);
      },
      toRules: () => {
        void navigate('/rules');
      },
      toDays: () => {
        void navigate('/days');
      },
      ...Object.fromEntries(
        VIEWS.map((v) => [
          v.to,
          () => {
            void navigate(v.path);
          },
        ]),
      ),
    }),
    [navigate],
  );
  useCommands(acts);
  return (
    <Tooltip.Provider delayDuration={350}>
      <div className="grid h-full grid-cols-[64px_minmax(0,1fr)] grid-rows-[48px_minmax(0,1fr)_44px] max-md:grid-cols-[minmax(0,1fr)] max-md:grid-rows-[auto_minmax(0,1fr)_44px_auto]">
        <Spine />
        <Masthead />
        <main className="relative flex min-h-0 flex-col overflow-hidden">
          {(lost || unread || problem) && (
            <p
              role="status"
              className="absolute top-1 left-1/2 z-30 -translate-x-1/2 rounded border border-loss bg-raised px-3 py-1 font-semibold text-loss"
            >
              {lost
                ? 'The program does not answer; trying again. What you see is the last known.'
                : (unread ?? problem)}
            </p>
          )}
          {RUN !== undefined && (
            <Suspense>
              <RunBand />
            </Suspense>
          )}
          {readOnly && (
            <p
              role="status"
              className="shrink-0 border-b border-loss bg-raised px-4 py-1 font-semibold text-loss"
            >
              The books do not reconcile, so they can be read and not changed: {readOnly}.
            </p>
          )}
          {stands != null && (
            <p
              role="alert"
              className="shrink-0 border-b border-loss bg-raised px-4 py-1 font-semibold text-loss"
            >
              Time stands, because nothing can be written down ({stands}). What was confirmed is
              kept; it goes on by itself once that is mended.
            </p>
          )}
          <div className="min-h-0 flex-1">
            <Outlet />
          </div>
        </main>
        <Fault what="The tray">
          <Tray />
        </Fault>
      </div>
      <Fault what="The ticket">
        <Drawer />
      </Fault>
      <Fault what="The bells">
        <Toasts />
      </Fault>
      {drafted && (
        <Walk
          again={walking}
          onDone={() => {
            setWalking(false);
          }}
        />
      )}
      <Find open={finding} onOpenChange={setFinding} />
      <Help open={helping} onOpenChange={setHelping} />
    </Tooltip.Provider>
  );
}
