import { useQuery } from '@tanstack/react-query';
import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import { Dialog } from 'radix-ui';
import { useState } from 'react';
import type { EvaluateRequest, MarginSheet as Sheet } from '../api/client';
import { marginQuery } from '../api/queries';
import { fixed } from '../format';
import { cents, money, tone } from '../money';
import { Button, Notice } from '../ui/controls';
import { box, overlay, giveBack } from '../ui/dialog';

type Parts = Sheet['alone']['parts'];
/** A requirement by its parts, with their sum. */
export function PartsTable({ parts, total, name }: { parts: Parts; total: string; name: string }) {
  return (
    <table className="w-full" aria-label={name}>
      <tbody>
        {parts.map((p, i) => (
          <tr key={`${i}${p.what}`} className="border-b border-hair">
            <th scope="row" className="py-0.5 pr-2 text-left font-normal">
              {p.what}
            </th>
            <td className="num">{money(p.amount)}</td>
          </tr>
        ))}
        {parts.length !== 1 && (
          <tr>
            <th scope="row" className="py-0.5 text-left font-semibold">
              together
            </th>
            <td className="num font-semibold">{money(total)}</td>
          </tr>
        )}
      </tbody>
    </table>
  );
}

const W = 300;
const H = 120;
/** What is tied up as what is sold moves out, strike by strike. */
function Farther({ points }: { points: Sheet['farther'] }) {
  const all = points.flatMap((p) => [p.requirement, p.tiedUp]);
  const x = scaleLinear([0, Math.max(1, points.length - 1)], [54, W - 12]);
  const y = scaleLinear([Math.min(0, ...all), Math.max(...all) * 1.08], [H - 26, 8]);
  const path = (of: (p: Sheet['farther'][number]) => number) =>
    line<Sheet['farther'][number]>()
      .x((_, i) => x(i))
      .y((p) => y(of(p)))(points) ?? '';
  const first = points[0];
  const last = points.at(-1);
  const words = points
    .map(
      (p) => `${p.sold}: margin ${fixed(p.requirement, 0)}, capital tied up ${fixed(p.tiedUp, 0)}`,
    )
    .join('; ');
  return (
    <svg role="img" aria-label={`As what is sold moves out. ${words}`} width={W} height={H}>
      {y.ticks(3).map((t) => (
        <g key={t}>
          <line x1={54} x2={W - 12} y1={y(t)} y2={y(t)} stroke="var(--hair)" />
          <text x={50} y={y(t) + 4} textAnchor="end" fontSize={11} fill="var(--ink2)">
            {fixed(t, 0)}
          </text>
        </g>
      ))}
      <path
        d={path((p) => p.requirement)}
        fill="none"
        stroke="var(--slate)"
        strokeWidth={1.5}
        strokeDasharray="4 3"
      />
      <path d={path((p) => p.tiedUp)} fill="none" stroke="var(--ink)" strokeWidth={2} />
      {points.map((p, i) => (
        <circle key={p.strikesOut} cx={x(i)} cy={y(p.tiedUp)} r={2.5} fill="var(--ink)">
          <title>{`${p.sold}: margin ${fixed(p.requirement, 2)}, capital tied up ${fixed(p.tiedUp, 2)}`}</title>
        </circle>
      ))}
      <text x={54} y={H - 8} fontSize={11} fill="var(--ink2)">
        {first?.sold}
      </text>
      <text x={W - 12} y={H - 8} textAnchor="end" fontSize={11} fill="var(--ink2)">
        {last?.sold}
      </text>
    </svg>
  );
}

function Body({ request }: { request: EvaluateRequest }) {
  const sheet = useQuery(marginQuery(request));
  const s = sheet.data;
  if (sheet.error) return <Notice>{sheet.error.message}</Notice>;
  if (!s) return <p className="text-ink2">Working out the margin</p>;
  const m = s.money;
  const received = !m.cash.startsWith('-');
  const rows: [string, string][] = [
    ['margin, taken alone', m.requirementAlone],
    [received ? 'premium received' : 'premium paid', m.cash.replace('-', '')],
    ['must be there when the order goes in', m.needed],
    ['capital tied up afterwards', m.tiedUp],
    ['leg by leg it would be', m.legByLeg],
    ['combining saves', m.saved],
  ];
  return (
    <div className="grid grid-cols-2 gap-x-6 gap-y-3">
      <section>
        <h3 className="pb-1 font-semibold">Taken alone, by {s.alone.regime}</h3>
        <PartsTable parts={s.alone.parts} total={s.alone.total} name="Margin by part" />
        <table className="mt-2 w-full" aria-label="Money of the margin">
          <tbody>
            {rows.map(([name, value]) => (
              <tr key={name} className="border-b border-hair">
                <th scope="row" className="py-0.5 text-left font-normal text-ink2">
                  {name}
                </th>
                <td className="num font-semibold">{money(value)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      <section>
        <h3 className="pb-1 font-semibold">Everything held in it, afterwards</h3>
        <PartsTable
          parts={s.heldAfter.parts}
          total={s.heldAfter.total}
          name="Margin held afterwards"
        />
        <p className="pt-1 text-ink2">
          now {money(s.heldBefore.total)}, change {money(m.requirementChange, true)}; buying power{' '}
          {money(m.buyingPowerNow)} → {money(m.buyingPowerAfter)}
        </p>
      </section>
      <section>
        <h3 className="pb-1 font-semibold">As what is sold moves out</h3>
        {s.farther.length > 1 ? (
          <>
            <Farther points={s.farther} />
            <p className="text-[12px] text-ink2">
              line: tied up; dashes: margin; what is bought beside it moves along
            </p>
          </>
        ) : (
          <p className="text-ink2">
            {s.farther.length === 1 ? 'No strike is listed farther out.' : 'Nothing is sold.'}
          </p>
        )}
      </section>
      <section>
        <h3 className="pb-1 font-semibold">If the market moves</h3>
        <table className="w-full" aria-label="If the market moves">
          <thead>
            <tr className="text-[12px] text-ink2">
              <th scope="col" className="text-right font-normal">
                move
              </th>
              <th scope="col" className="text-right font-normal">
                margin alone
              </th>
              <th scope="col" className="text-right font-normal">
                buying power changes
              </th>
            </tr>
          </thead>
          <tbody>
            {s.moved.map((p) => (
              <tr
                key={p.percent}
                className={`border-b border-hair ${p.percent === 0 ? 'font-semibold' : ''}`}
              >
                <th scope="row" className="num font-normal">
                  {fixed(p.percent, 0, true)} %
                </th>
                <td className="num">{cents(p.requirement)}</td>
                <td className={`num ${tone(p.change)}`}>{cents(p.change, true)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <p className="pt-1 text-[12px] text-ink2">
          At once, volatility as the marks imply it. Interest on what is borrowed is left out.
        </p>
      </section>
    </div>
  );
}

/** A button that opens the margin sheet of a structure. */
export function MarginSheet({
  request,
  name,
  weight = 'plain',
}: {
  request: EvaluateRequest;
  name: string;
  weight?: 'plain' | 'quiet';
}) {
  const [open, setOpen] = useState(false);
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger asChild>
        <Button
          weight={weight}
          className={weight === 'quiet' ? '!h-[18px] !px-1 text-[12px] text-ink2' : ''}
          aria-label={`margin sheet of ${name}`}
        >
          {weight === 'quiet' ? 'margin' : 'margin sheet'}
        </Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className={overlay} />
        <Dialog.Content
          data-modal
          aria-describedby={undefined}
          onCloseAutoFocus={giveBack}
          className={`${box} !top-16 max-h-[calc(100vh-96px)] w-[720px] overflow-y-auto`}
        >
          <div className="flex items-baseline justify-between pb-2">
            <Dialog.Title className="font-serif text-[19px]">Margin of {name}</Dialog.Title>
            <Dialog.Close
              aria-label="Close"
              className="rounded px-1.5 text-[16px] text-ink2 hover:text-ink"
            >
              ×
            </Dialog.Close>
          </div>
          {open && <Body request={request} />}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
