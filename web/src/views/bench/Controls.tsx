import { Popover, Slider } from 'radix-ui';
import { useState } from 'react';
import type { BenchAnswer } from '../../api/client';
import { dayMonth, fixed } from '../../format';
import { Button, Choices } from '../../ui/controls';
import { isMoved, look, number, unmove, useScene } from './scene';

const panel = 'z-40 w-[340px] rounded border border-strong bg-raised p-3 shadow-[var(--shadow)]';
const field = 'num h-6 w-16 rounded border border-strong bg-ground px-1 font-semibold';

function Slide({
  label,
  value,
  min,
  max,
  step,
  onChange,
  words,
}: {
  label: string;
  value: number;
  min: number;
  max: number;
  step: number;
  onChange: (v: number) => void;
  words: string;
}) {
  return (
    <div className="flex items-center gap-2">
      <span className="text-ink2">{label}</span>
      <Slider.Root
        min={min}
        max={max}
        step={step}
        value={[value]}
        onValueChange={([v]) => {
          onChange(v ?? value);
        }}
        className="relative flex h-5 w-24 touch-none max-[1240px]:w-14 items-center select-none"
      >
        <Slider.Track className="relative h-[3px] grow rounded bg-strong" />
        <Slider.Thumb
          aria-label={label}
          aria-valuetext={words}
          className="block size-4 rounded-full border-2 border-raised bg-brass"
        />
      </Slider.Root>
      <b className="w-[92px] whitespace-nowrap max-[1240px]:w-[84px]">{words}</b>
    </div>
  );
}

/** A number that is written; what is none yet (a minus alone) is left standing until it is one. */
function Written({
  label,
  value,
  unit,
  onChange,
}: {
  label: string;
  value: number;
  unit: string;
  onChange: (v: number) => void;
}) {
  const [text, setText] = useState<string>();
  return (
    <label className="flex items-center gap-2">
      <span className="grow text-ink2">{label}</span>
      <input
        inputMode="decimal"
        value={text ?? String(value)}
        onBlur={() => {
          setText(undefined);
        }}
        className={field}
        onChange={(e) => {
          const t = e.target.value.trim().replace('−', '-');
          setText(t);
          if (/^-?\d+(\.\d+)?$/.test(t)) onChange(Number(t));
        }}
      />
      <span className="w-12 text-ink2">{unit}</span>
    </label>
  );
}

/** Volatility by expiration, how it sticks, interest. */
function Market({ expiries }: { expiries: string[] }) {
  const s = useScene();
  const unit = s.unit === 'points' ? 'points' : '%';
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button aria-label="market moved">market{isMoved(s) ? ' moved' : ''} ▾</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          collisionPadding={8}
          className={panel}
          aria-label="Moved market"
        >
          <div className="flex flex-col gap-2">
            <div className="flex items-center justify-between">
              <span className="text-ink2">volatility moves by</span>
              <Choices
                label="Volatility moves by"
                value={s.unit}
                onChange={(v) => {
                  look({ unit: v, shift: 0, at: {} });
                }}
                choices={[
                  { value: 'points', label: 'points' },
                  { value: 'percent', label: 'percent' },
                ]}
              />
            </div>
            <Written
              label="every expiration"
              value={s.shift}
              unit={unit}
              onChange={(v) => {
                look({ shift: v });
              }}
            />
            {expiries.map((date) => (
              <Written
                key={date}
                label={`only ${dayMonth(date)}`}
                value={s.at[date] ?? s.shift}
                unit={unit}
                onChange={(v) => {
                  look({ at: { ...s.at, [date]: v } });
                }}
              />
            ))}
            <div className="flex items-center justify-between border-t border-hair pt-2">
              <span className="text-ink2">the smile stays with the</span>
              <Choices
                label="The smile stays with the"
                value={s.sticky}
                onChange={(v) => {
                  look({ sticky: v });
                }}
                choices={[
                  { value: 'strike', label: 'strike' },
                  { value: 'delta', label: 'price' },
                ]}
              />
            </div>
            <Written
              label="interest"
              value={s.rate}
              unit="points"
              onChange={(v) => {
                look({ rate: v });
              }}
            />
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Dates drawn beside the chosen one. */
function Dates({ days }: { days: number }) {
  const extra = useScene((s) => s.extra);
  const part = useScene((s) => s.part);
  const chosen = Math.round(part * days * 10) / 10;
  return (
    <div className="flex items-center gap-1">
      <Button
        weight="quiet"
        disabled={extra.length >= 6 || extra.includes(chosen)}
        onClick={() => {
          look({ extra: [...extra, chosen].sort((a, b) => a - b) });
        }}
      >
        + line
      </Button>
      {extra.map((d) => (
        <Button
          key={d}
          weight="quiet"
          className="!px-1 text-slate"
          aria-label={`take away the line in ${d} days`}
          onClick={() => {
            look({ extra: extra.filter((x) => x !== d) });
          }}
        >
          {fixed(d, 0)} d ×
        </Button>
      ))}
    </div>
  );
}

const SPANS: [string, 'deviations' | 'percent', number][] = [
  ['whole', 'deviations', 0],
  ['±1 σ', 'deviations', 1],
  ['±2 σ', 'deviations', 2],
  ['±4 σ', 'deviations', 4],
  ['±5 %', 'percent', 5],
  ['±20 %', 'percent', 20],
  ['±50 %', 'percent', 50],
];

/** The market moved, and how far the prices go. */
export function MarketControls({
  bench: b,
  expiries,
}: {
  bench: BenchAnswer | undefined;
  expiries: string[];
}) {
  const s = useScene();
  const changed = isMoved(s) || s.part !== 0.5 || s.extra.length > 0 || s.span.value !== 0;
  return (
    <div className="ml-auto flex items-center gap-2">
      {s.tab === 'map' && (
        <Button
          aria-pressed={s.history}
          className={s.history ? '!border-brass text-brass' : ''}
          onClick={() => {
            look({ history: !s.history });
          }}
        >
          history
        </Button>
      )}
      {b && changed && (
        <Button weight="quiet" onClick={unmove}>
          as at first
        </Button>
      )}
      <Market expiries={expiries} />
      <select
        aria-label="Prices shown"
        value={`${s.span.by} ${s.span.value}`}
        onChange={(e) => {
          const [by, value] = e.target.value.split(' ');
          look({
            span: {
              by: by === 'percent' ? 'percent' : 'deviations',
              value: number(value ?? '') ?? 0,
            },
          });
        }}
        className="h-6 rounded border border-strong bg-raised px-1 font-semibold"
      >
        {SPANS.map(([name, by, value]) => (
          <option key={name} value={`${by} ${value}`}>
            {name}
          </option>
        ))}
      </select>
    </div>
  );
}

/** Date and volatility: what the tabs share. */
export function Controls({ bench: b }: { bench: BenchAnswer | undefined }) {
  const s = useScene();
  const chosen = b?.lines[0];
  const unit = s.unit === 'points' ? 'points' : '%';
  return (
    <div className="flex items-center gap-x-4 overflow-hidden border-b max-[1240px]:gap-x-2 border-hair py-1.5">
      <Slide
        label="date"
        value={s.part}
        min={0}
        max={1}
        step={0.02}
        onChange={(part) => {
          look({ part });
        }}
        words={chosen ? `${dayMonth(chosen.at.slice(0, 10))}, in ${fixed(chosen.days, 0)} d` : ''}
      />
      <Slide
        label="volatility"
        value={s.shift}
        min={-30}
        max={s.unit === 'points' ? 30 : 100}
        step={1}
        onChange={(shift) => {
          look({ shift });
        }}
        words={s.shift === 0 ? 'as it is' : `${fixed(s.shift, 0, true)} ${unit}`}
      />
      {b && <Dates days={b.days} />}
    </div>
  );
}
