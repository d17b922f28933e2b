import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { publish } from '../../api/live';
import { benchQuery, evaluationQuery } from '../../api/queries';
import { isOption, parts } from '../../drafts/contract';
import { useDrafts } from '../../drafts/store';
import { openDraft } from '../../ticket/open';
import type { Acts } from '../../ui/commands';
import { Choices, CommandButton, Notice } from '../../ui/controls';
import { useGhost } from '../../ui/ghost';
import { ChancePanel } from './ChancePanel';
import { ComparePanel } from './ComparePanel';
import { Controls, MarketControls } from './Controls';
import { DraftPanel } from './DraftPanel';
import { GreekPlots } from './GreekPlots';
import { OutlinePlot } from './OutlinePlot';
import { ProfitGrid } from './ProfitGrid';
import { look, requestOf, useScene, type Tab } from './scene';
import { SidePanel } from './SidePanel';
import { TimeMap } from './TimeMap';

const TABS: { value: Tab; label: string }[] = [
  { value: 'outline', label: 'outline' },
  { value: 'map', label: 'time map' },
  { value: 'greeks', label: 'Greeks' },
  { value: 'grid', label: 'grid' },
  { value: 'chance', label: 'chance' },
  { value: 'compare', label: 'compare' },
];

/** Where the active draft is judged. */
export function BenchView() {
  const draft = useDrafts((s) => s.drafts[s.active]);
  const active = useDrafts((s) => s.active);
  const navigate = useNavigate();
  const scene = useScene();
  const box = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState({ width: 660, height: 470 });
  useEffect(() => {
    const watch = new ResizeObserver(([e]) => {
      if (e)
        setSize({
          width: Math.floor(e.contentRect.width),
          height: Math.floor(e.contentRect.height),
        });
    });
    if (box.current) watch.observe(box.current);
    return () => {
      watch.disconnect();
    };
  }, [draft === undefined]); // eslint-disable-line react-hooks/exhaustive-deps -- the box is there once a draft is
  const legs = draft && draft.legs.length > 0 ? draft.legs : undefined;
  // Only how far away its end is must be known before; everything shown comes from the bench's own answer.
  const before = useQuery({
    ...evaluationQuery(
      draft && legs ? { symbol: draft.symbol, legs, entry: draft.entry ?? 'middle' } : null,
      60_000,
    ),
    select: (e) => e.days,
  });
  const bench = useQuery(
    benchQuery(
      draft && legs && before.data !== undefined ? requestOf(scene, draft, before.data) : null,
      active,
    ),
  );
  const b = bench.data;
  const e = b?.evaluation;
  const old = bench.isPlaceholderData;
  // The tray shows what is judged here: one draft has one price on a page.
  useEffect(() => {
    if (draft && legs && e && !old)
      publish({
        of: active,
        request: { symbol: draft.symbol, legs, entry: draft.entry ?? 'middle' },
        evaluation: e,
      });
  }, [active, draft, legs, e, old]);
  useEffect(
    () => () => {
      publish(undefined);
    },
    [],
  );
  const ghost = useGhost(
    b,
    JSON.stringify(e && [e.unit, e.packages]),
    `${active} ${draft?.symbol ?? ''}`,
  );
  const acts = useMemo(
    (): Acts => ({
      ticket: () => {
        openDraft(draft);
      },
      back: () => {
        void navigate('/chain');
      },
      ...Object.fromEntries(
        TABS.map(({ value: tab }) => [
          tab,
          () => {
            look({ tab });
          },
        ]),
      ),
    }),
    [draft, navigate],
  );
  if (!draft || !legs) {
    return (
      <p className="p-6 text-ink2">
        No draft to judge. Build one in the{' '}
        <Link to="/chain" className="text-brass underline">
          chain
        </Link>
        : it is drawn here with date lines, moved volatility, Greeks, a grid of profits and chances.
      </p>
    );
  }
  const trouble = before.error ?? bench.error;
  const expiries = [
    ...new Set(legs.filter((l) => isOption(l.contract)).map((l) => parts(l.contract).date)),
  ].sort();
  const title = e ? `${draft.symbol} ${e.name} ${e.strikes}` : draft.symbol;
  const width = size.width - 4;
  return (
    <div className="grid h-full grid-cols-[auto_minmax(0,1fr)_290px] max-[1240px]:grid-cols-[auto_minmax(0,1fr)_236px]">
      <DraftPanel draft={draft} evaluation={e} price={e?.spot} acts={acts} />
      <section aria-label="Judgement" className="flex min-w-0 flex-col px-3 pt-1.5 pb-2">
        <div className="flex items-baseline gap-3">
          <h1 className="truncate font-serif text-[20px] leading-7" title={title}>
            {title}
          </h1>
          {e && (
            <span className="whitespace-nowrap text-ink2">
              {e.packages} at{' '}
              <b className="text-ink">
                {e.price.amount} {e.price.side}
              </b>
            </span>
          )}
          <Link
            to={`/chain/${draft.symbol}`}
            className="ml-auto whitespace-nowrap text-brass underline-offset-2 hover:underline"
          >
            to the chain
          </Link>
          <CommandButton of="ticket" weight="strong">
            Ticket
          </CommandButton>
        </div>
        <div className="flex flex-wrap items-center gap-y-1 pt-1">
          <Choices<Tab>
            label="What is shown"
            value={scene.tab}
            onChange={(tab) => {
              look({ tab });
            }}
            choices={TABS}
          />
          {scene.tab !== 'compare' && <MarketControls bench={b} expiries={expiries} />}
        </div>
        {scene.tab !== 'compare' && <Controls bench={b} />}
        {trouble && (
          <div className="pt-2">
            <Notice>{trouble.message}</Notice>
          </div>
        )}
        <div
          ref={box}
          aria-busy={old}
          className={`min-h-0 flex-1 overflow-auto pt-1.5 ${old ? 'old' : ''}`}
        >
          {b && scene.tab === 'outline' && (
            <OutlinePlot
              bench={b}
              ghost={ghost}
              width={width}
              height={Math.max(220, size.height - 62)}
              name={title}
            />
          )}
          {b && scene.tab === 'map' && (
            <TimeMap
              symbol={draft.symbol}
              bench={b}
              width={width}
              height={Math.max(280, size.height - 28)}
              onPick={(part, price) => {
                look({ part, price });
              }}
            />
          )}
          {b && scene.tab === 'greeks' && (
            <GreekPlots bench={b} width={width} height={Math.max(340, size.height - 16)} />
          )}
          {b && scene.tab === 'grid' && <ProfitGrid bench={b} />}
          {b && scene.tab === 'chance' && <ChancePanel bench={b} width={width} />}
          {b && scene.tab === 'compare' && (
            <ComparePanel
              key={draft.symbol}
              draft={draft}
              spot={b.evaluation.spot}
              now={b.evaluation.at}
              days={b.days}
              width={width}
            />
          )}
        </div>
      </section>
      {b ? (
        <SidePanel
          bench={b}
          request={{ symbol: draft.symbol, legs, entry: draft.entry ?? 'middle' }}
        />
      ) : (
        <aside className="border-l border-hair bg-raised" />
      )}
    </div>
  );
}
