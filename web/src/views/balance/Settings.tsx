import { useQuery } from '@tanstack/react-query';
import { Popover, Slider } from 'radix-ui';
import { useState } from 'react';
import type { BookLooked } from '../../api/client';
import { useLive } from '../../api/live';
import { marketsQuery } from '../../api/queries';
import { fixed } from '../../format';
import { readNumber } from '../../ui/fields';
import { Button, Choices } from '../../ui/controls';
import { Term } from '../../ui/terms';
import { choose, useChosen, type Apart } from './look';

const panel =
  'z-40 w-[340px] rounded border border-strong bg-raised p-3 shadow-[var(--shadow)] flex flex-col gap-2';
const field = 'num h-6 w-20 rounded border border-strong bg-ground px-1 font-semibold';

function Betas({ looked }: { looked: BookLooked | undefined }) {
  const c = useChosen();
  const [symbol, setSymbol] = useState('');
  const [beta, setBeta] = useState('');
  const value = readNumber(beta);
  const own = Object.entries(c.own);
  const files = useLive((s) => s.clock?.own) ?? false;
  const usual = files ? 'a year’s regression' : 'the market’s own';
  const name = c.sessions === 0 ? usual : `estimated over ${c.sessions} sessions`;
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button>
          betas: {name}
          {c.towardOne ? ', toward 1' : ''}
          {own.length > 0 ? `, ${own.length} own` : ''} ▾
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          collisionPadding={8}
          aria-label="Betas"
          className={panel}
        >
          <label className="flex items-center justify-between gap-2">
            <span className="text-ink2">from</span>
            <select
              value={c.sessions}
              onChange={(e) => {
                choose({ sessions: Number(e.target.value) });
              }}
              className="h-6 rounded border border-strong bg-ground px-1"
            >
              <option value={0}>{usual}</option>
              {[63, 126, 252, 504].map((n) => (
                <option key={n} value={n}>
                  estimated over {n} sessions
                </option>
              ))}
            </select>
          </label>
          <label className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={c.towardOne}
              onChange={(e) => {
                choose({ towardOne: e.target.checked });
              }}
              className="accent-[var(--brass)]"
            />
            two thirds of each, and one third of 1
          </label>
          {own.map(([s, b]) => (
            <div key={s} className="flex items-center gap-2">
              <b className="grow">{s}</b> {fixed(b, 2)}
              <button
                type="button"
                aria-label={`no beta of my own for ${s}`}
                className="px-1 text-ink2 hover:text-loss"
                onClick={() => {
                  choose({ own: Object.fromEntries(own.filter(([k]) => k !== s)) });
                }}
              >
                ×
              </button>
            </div>
          ))}
          <form
            className="flex items-center gap-2 border-t border-hair pt-2"
            onSubmit={(e) => {
              e.preventDefault();
              if (symbol === '' || value == null || Math.abs(value) > 10) return;
              choose({ own: { ...c.own, [symbol]: value } });
              setBeta('');
            }}
          >
            <select
              aria-label="Symbol"
              value={symbol}
              onChange={(e) => {
                setSymbol(e.target.value);
              }}
              className="h-6 grow rounded border border-strong bg-ground px-1"
            >
              <option value="">my own for</option>
              {looked?.betas.map((b) => (
                <option key={b.symbol}>{b.symbol}</option>
              ))}
            </select>
            <input
              aria-label="My own beta, from −10 to 10"
              inputMode="decimal"
              value={beta}
              onChange={(e) => {
                setBeta(e.target.value);
              }}
              className={field}
            />
            <Button type="submit" disabled={symbol === '' || value == null || Math.abs(value) > 10}>
              set
            </Button>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Names that move beside the index. */
function Beside({ looked }: { looked: BookLooked | undefined }) {
  const c = useChosen();
  const [whom, setWhom] = useState('');
  const [percent, setPercent] = useState('');
  const by = readNumber(percent);
  const symbols = [...new Set(looked?.items.map((i) => i.symbol) ?? [])].sort();
  const sectors = [
    ...new Set((looked?.items ?? []).flatMap((i) => (i.sector == null ? [] : [i.sector]))),
  ].sort();
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button>
          names apart
          {c.apart.length > 0 &&
            `: ${c.apart.map((a) => `${a.symbol ?? a.sector ?? ''} ${fixed(a.percent, 0, true)} %`).join(', ')}`}{' '}
          ▾
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          collisionPadding={8}
          aria-label="Names apart"
          className={panel}
        >
          <p className="text-ink2">
            A move of one name or one sector, beside what the index does to it: earnings that go
            wrong.
          </p>
          {c.apart.map((a, i) => (
            <div key={`${a.symbol ?? ''}${a.sector ?? ''}`} className="flex items-center gap-2">
              <b className="grow">{a.symbol ?? `all of ${a.sector ?? ''}`}</b>
              {fixed(a.percent, 1, true)} %
              <button
                type="button"
                aria-label={`without ${a.symbol ?? a.sector ?? ''}`}
                className="px-1 text-ink2 hover:text-loss"
                onClick={() => {
                  choose({ apart: c.apart.filter((_, k) => k !== i) });
                }}
              >
                ×
              </button>
            </div>
          ))}
          <form
            className="flex items-center gap-2 border-t border-hair pt-2"
            onSubmit={(e) => {
              e.preventDefault();
              if (whom === '' || by == null || by < -99 || by > 200 || by === 0) return;
              const added: Apart = whom.startsWith('sector ')
                ? { sector: whom.slice(7), percent: by }
                : { symbol: whom, percent: by };
              const others = c.apart.filter(
                (a) => a.symbol !== added.symbol || a.sector !== added.sector,
              );
              choose({ apart: [...others, added] });
              setPercent('');
            }}
          >
            <select
              aria-label="Who moves apart"
              value={whom}
              onChange={(e) => {
                setWhom(e.target.value);
              }}
              className="h-6 grow rounded border border-strong bg-ground px-1"
            >
              <option value="">whom</option>
              {symbols.map((s) => (
                <option key={s}>{s}</option>
              ))}
              {sectors.map((s) => (
                <option key={s} value={`sector ${s}`}>
                  all of {s}
                </option>
              ))}
            </select>
            <input
              aria-label="By, percent, from −99 to 200"
              inputMode="decimal"
              placeholder="−10"
              value={percent}
              onChange={(e) => {
                setPercent(e.target.value);
              }}
              className={field}
            />
            <span>%</span>
            <Button
              type="submit"
              disabled={whom === '' || by == null || by < -99 || by > 200 || by === 0}
            >
              set
            </Button>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Volatility({ past }: { past: number | null | undefined }) {
  const c = useChosen();
  const [min, max, step] = c.vol === 'points' ? [-20, 40, 1] : [0, 8, 0.1];
  const value = c.vol === 'points' ? c.points : c.perMove;
  const words =
    c.vol === 'stays'
      ? ''
      : c.vol === 'points'
        ? `${fixed(value, 0, true)} points`
        : `${fixed(value, 1)} times the fall`;
  return (
    <div className="flex flex-wrap items-center gap-2">
      <span className="text-ink2">
        <Term of="volAnswer" />
      </span>
      <Choices
        label="Volatility"
        value={c.vol}
        onChange={(vol) => {
          choose({ vol });
        }}
        choices={[
          { value: 'stays', label: 'stays' },
          { value: 'answers', label: 'answers' },
          { value: 'points', label: 'by itself' },
        ]}
      />
      {c.vol !== 'stays' && (
        <>
          <Slider.Root
            min={min}
            max={max}
            step={step}
            value={[value]}
            onValueChange={([v]) => {
              choose(c.vol === 'points' ? { points: v ?? value } : { perMove: v ?? value });
            }}
            className="relative flex h-5 w-28 touch-none items-center select-none"
          >
            <Slider.Track className="relative h-[3px] grow rounded bg-strong" />
            <Slider.Thumb
              aria-label="How much volatility answers"
              aria-valuetext={words}
              className="block size-4 rounded-full border-2 border-raised bg-brass"
            />
          </Slider.Root>
          <b className="w-28 whitespace-nowrap">{words}</b>
        </>
      )}
      {c.vol === 'answers' && past != null && (
        <Button
          weight="quiet"
          title="How the broad index’s own volatility answered its daily moves in the past year"
          onClick={() => {
            choose({ perMove: Math.round(past * 10) / 10 });
          }}
        >
          past year: {fixed(past, 1)}
        </Button>
      )}
    </div>
  );
}

/** Through what the book is looked at: the index, betas, volatility, names apart. */
export function Settings({ looked }: { looked: BookLooked | undefined }) {
  const chosen = useChosen((s) => s.index);
  const usual = useLive((s) => s.clock?.index) ?? '';
  const markets = useQuery(marketsQuery);
  const names = markets.data?.map((m) => m.symbol) ?? [usual];
  const index = names.includes(chosen) ? chosen : usual;
  return (
    <section aria-label="Through what" className="flex flex-wrap items-center gap-x-3 gap-y-1">
      <label className="flex items-center gap-1.5 text-ink2">
        in terms of
        <select
          value={index}
          onChange={(e) => {
            choose({ index: e.target.value });
          }}
          className="h-6 rounded border border-strong bg-raised px-1 font-semibold text-ink"
        >
          {names.map((n) => (
            <option key={n}>{n}</option>
          ))}
        </select>
      </label>
      <Betas looked={looked} />
      <Volatility past={looked?.pastAnswer} />
      <Beside looked={looked} />
    </section>
  );
}
