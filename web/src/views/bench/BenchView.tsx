import { useQuery } from '@tanstack/react-query';
import { Slider } from 'radix-ui';
import { useEffect, useRef, useState } from 'react';
import { Link } from 'react-router';
import { benchQuery, evaluationQuery } from '../../api/queries';
import { useDrafts } from '../../drafts/store';
import { dayMonth, fixed } from '../../format';
import { Checks, MoneyTable } from '../../ticket/MoneyTable';
import { openTicket } from '../../ticket/open';
import { Button, Choices, Notice } from '../../ui/controls';
import { ChancePanel, type Between } from './ChancePanel';
import { GreekPlots } from './GreekPlots';
import { OutlinePlot } from './OutlinePlot';
import { ProfitGrid } from './ProfitGrid';
import { TimeMap } from './TimeMap';

type Tab = 'outline' | 'map' | 'greeks' | 'grid' | 'chance';
const price = /^\d+(\.\d+)?$/;

function Control({ label, value, min, max, step, onChange, words }: { label: string; value: number; min: number; max: number; step: number; onChange: (v: number) => void; words: string }) {
  return (
    <div className="flex items-center gap-2">
      <span className="text-ink2">{label}</span>
      <Slider.Root min={min} max={max} step={step} value={[value]} onValueChange={([v]) => { onChange(v ?? value); }} className="relative flex h-5 w-28 touch-none items-center select-none">
        <Slider.Track className="relative h-[3px] grow rounded bg-strong" />
        <Slider.Thumb aria-label={label} aria-valuetext={words} className="block size-4 rounded-full border-2 border-raised bg-brass" />
      </Slider.Root>
      <b className="w-[100px] whitespace-nowrap">{words}</b>
    </div>
  );
}

/** Where the active draft is judged. */
export function BenchView() {
  const draft = useDrafts((s) => s.drafts[s.active]);
  const [tab, setTab] = useState<Tab>('outline');
  const [part, setPart] = useState(0.5);
  const [points, setPoints] = useState(0);
  const [between, setBetween] = useState<Between>();
  const box = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState({ width: 840, height: 470 });
  useEffect(() => {
    const watch = new ResizeObserver(([e]) => { if (e) setSize({ width: Math.floor(e.contentRect.width), height: Math.floor(e.contentRect.height) }); });
    if (box.current) watch.observe(box.current);
    return () => { watch.disconnect(); };
  }, [draft]);
  const legs = draft && draft.legs.length > 0 ? draft.legs : undefined;
  const evaluation = useQuery(evaluationQuery(draft && legs ? { symbol: draft.symbol, legs } : null, 2_000));
  const e = evaluation.data;
  const days = e?.days ?? 0;
  const good = between && price.test(between.low) && price.test(between.high) && Number(between.low) > 0 && Number(between.low) < Number(between.high);
  const dates = [part * days, 0, days / 4, days / 2, (3 * days) / 4].map((d) => Math.round(d * 100) / 100);
  const bench = useQuery(benchQuery(draft && legs && e ? { symbol: draft.symbol, legs, price: e.middle.value, volPoints: points, days: dates, map: tab === 'map', lower: good ? Number(between.low) : null, higher: good ? Number(between.high) : null } : null));
  const b = bench.data;
  if (!draft || !legs) {
    return <p className="p-6 text-ink2">No draft to judge. Build one in the <Link to="/chain" className="text-brass underline">chain</Link>: it is drawn here with date lines, moved volatility, Greeks, a grid of profits and chances.</p>;
  }
  const trouble = evaluation.error ?? bench.error;
  const chosen = b?.lines[0];
  const most = e?.most.unlimited ? undefined : Number(e?.most.profit ?? NaN);
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_310px]">
      <section aria-label="Judgement" className="flex min-w-0 flex-col px-4 py-2">
        <div className="flex items-baseline gap-3">
          <h1 className="truncate font-serif text-[22px] leading-8">{e ? `${draft.symbol} ${e.name} ${e.strikes}` : draft.symbol}</h1>
          {e && <span className="text-ink2">{e.packages} at <b className="text-ink">{e.middle.amount} {e.middle.side}</b></span>}
          <Link to={`/chain/${draft.symbol}`} className="ml-auto text-brass underline-offset-2 hover:underline">to the chain</Link>
          <Button weight="strong" disabled={!e} onClick={() => { if (e) openTicket({ symbol: draft.symbol, unit: e.unit, quantity: e.packages }); }}>Ticket</Button>
        </div>
        <div className="flex flex-wrap items-center gap-x-5 gap-y-1 border-b border-hair py-2">
          <Choices<Tab> label="What is shown" value={tab} onChange={setTab} choices={[{ value: 'outline', label: 'outline' }, { value: 'map', label: 'time map' }, { value: 'greeks', label: 'Greeks' }, { value: 'grid', label: 'grid' }, { value: 'chance', label: 'chance' }]} />
          <Control label="date" value={part} min={0} max={1} step={0.02} onChange={setPart} words={chosen ? `${dayMonth(chosen.at.slice(0, 10))}, in ${fixed(chosen.days, 0)} d` : ''} />
          <Control label="volatility" value={points} min={-20} max={30} step={1} onChange={setPoints} words={points === 0 ? 'as it is' : `${fixed(points, 0, true)} points`} />
          {(points !== 0 || part !== 0.5) && <Button weight="quiet" onClick={() => { setPoints(0); setPart(0.5); }}>as at first</Button>}
        </div>
        {trouble && <div className="pt-2"><Notice>{trouble.message}</Notice></div>}
        <div ref={box} className="min-h-0 flex-1 overflow-auto pt-2">
          {b && tab === 'outline' && <OutlinePlot bench={b} width={size.width - 4} height={Math.max(240, size.height - 34)} most={most} />}
          {b && tab === 'map' && <TimeMap bench={b} width={size.width - 4} height={Math.max(280, size.height - 8)} onDate={setPart} />}
          {b && tab === 'greeks' && <GreekPlots bench={b} width={size.width - 4} height={Math.max(320, size.height - 16)} />}
          {b && tab === 'grid' && <ProfitGrid bench={b} />}
          {b && tab === 'chance' && <ChancePanel bench={b} between={between} onChange={setBetween} />}
        </div>
      </section>
      <aside aria-label="In words and money" className="flex flex-col gap-3 overflow-auto border-l border-hair bg-raised px-4 py-3" tabIndex={0}>
        {e && (
          <>
            <p className="font-serif text-[15px] leading-5">{e.sentences.join(' ')}</p>
            <MoneyTable evaluation={e} />
            <Checks evaluation={e} />
          </>
        )}
      </aside>
    </div>
  );
}
