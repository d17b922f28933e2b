import { useEffect, useRef, useState } from 'react';
import type { CampaignPage, Evaluation } from '../../api/client';
import { HistoryPane } from '../../chart/HistoryPane';
import { fixed } from '../../format';
import { Outline } from '../../chart/Outline';
import { PictureLines } from '../../chart/PictureLines';
import type { Axis } from '../../chart/axis';

const HEIGHT = 330;
/** Width of the prices at the left. */
const SCALE = 56;

/** Most bars that are read. */
const MOST_BARS = 260;

/** A straight price axis over what the outline was asked for. */
function axisOf(low: number, high: number): Axis {
  const y = (price: number) => ((high - price) / (high - low)) * HEIGHT;
  const price = (at: number) => high - (at / HEIGHT) * (high - low);
  return { strikes: [high, low], height: HEIGHT, y, price };
}

/** Round prices over a range, about so many. */
function rounds(low: number, high: number, about: number): number[] {
  const raw = (high - low) / about;
  const unit = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 2.5, 5, 10].map((n) => n * unit).find((s) => s >= raw) ?? raw;
  const first = Math.ceil(low / step);
  return Array.from({ length: Math.floor(high / step) - first + 1 }, (_, i) => (first + i) * step);
}

/** The strike trail: the past with every leg for as long as it was held, and at its right, on the
 * same prices, what the campaign ends at with what was realised, and the open legs alone. */
export function Picture({ page: p }: { page: CampaignPage }) {
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(1180);
  useEffect(() => {
    const watch = new ResizeObserver(([e]) => {
      if (e) setWidth(e.contentRect.width);
    });
    if (box.current) watch.observe(box.current);
    return () => {
      watch.disconnect();
    };
  }, []);
  const { low, high } = p;
  const whole: Evaluation | null | undefined = p.whole;
  const axis = axisOf(low, high);
  const picture = whole ? Math.round(Math.max(300, (width - SCALE) * 0.4)) : 0;
  // From some sessions before it was opened on: in days, of an old campaign in weeks.
  const sessions = Math.max(90, Math.round((p.days * 5) / 7) + 20);
  const weekly = sessions > MOST_BARS;
  const count = Math.min(MOST_BARS, weekly ? Math.ceil(sessions / 5) : sessions);
  const past = width - SCALE - picture;
  return (
    <div ref={box}>
      <div className="flex h-6 items-center border-b border-strong text-[12px] text-ink2">
        <span style={{ width: SCALE + past }} className="pl-14">
          <span aria-hidden className="text-ink">
            ●━
          </span>{' '}
          sold{' '}
          <span aria-hidden className="pl-2 text-brass">
            ○┅
          </span>{' '}
          bought <span aria-hidden>×</span> closed
        </span>
        {whole && (
          <span>
            <span aria-hidden className="text-ink">
              ━
            </span>{' '}
            {whole.estimate ? 'about, ' : ''}the whole campaign at {whole.days} d{' '}
            <span aria-hidden className="pl-1 text-brass">
              ━
            </span>{' '}
            today <span aria-hidden>┅</span> the open legs alone
          </span>
        )}
      </div>
      <div className="relative flex border-b border-hair" style={{ height: HEIGHT }}>
        <div className="relative" style={{ width: SCALE }}>
          {rounds(low, high, 8).map((t) => (
            <span
              key={t}
              className="absolute right-2 text-[11px] leading-3 text-ink2 tabular-nums"
              style={{ top: Math.min(HEIGHT - 12, Math.max(0, axis.y(t) - 6)) }}
            >
              {fixed(t, t < 100 ? 1 : 0)}
            </span>
          ))}
        </div>
        <div style={{ width: past }} className="border-x border-hair">
          <HistoryPane
            symbol={p.campaign.symbol}
            level={p.spot}
            weekly={weekly}
            count={count}
            axis={axis}
            width={past - 2}
            strikes={[]}
            ahead={
              p.bands.length === 4 ? { bands: p.bands, label: p.position?.expiry ?? '' } : undefined
            }
            evens={whole?.evens.map((e) => Number(e.from)) ?? []}
            stretches={p.trail}
            volume={false}
          />
        </div>
        {whole && (
          <div className="relative bg-raised" style={{ width: picture }}>
            <PictureLines
              axis={axis}
              width={picture}
              level={whole.spot}
              spot={whole.spot.toFixed(2)}
              evaluation={whole}
            />
            <Outline
              id="campaign"
              evaluation={whole}
              ghost={{ ...whole, outline: p.alone }}
              axis={axis}
              width={picture}
              bands={[low, high]}
            />
          </div>
        )}
      </div>
    </div>
  );
}
