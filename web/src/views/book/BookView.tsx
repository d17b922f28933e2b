import { useMutation, useQuery } from '@tanstack/react-query';
import { scaleLinear } from 'd3-scale';
import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import { followBook, useLive } from '../../api/live';
import { historyQuery } from '../../api/queries';
import { api, must, type Position } from '../../api/client';
import { RangeStrip } from '../../chart/glyph';
import { BARS, HistoryPane } from '../../chart/HistoryPane';
import { isOption, parts } from '../../drafts/contract';
import { fixed, money, percent, tone } from '../../format';
import { openTicket } from '../../ticket/open';
import { MarginSheet } from '../../ticket/MarginSheet';
import { Button, Choices, Notice } from '../../ui/controls';

const th =
  'sticky top-0 z-10 border-b border-strong bg-ground px-2 py-1 text-[12px] font-normal text-ink2';
const right = `${th} text-right`;
const left = `${th} text-left`;

/** Height of the past of a position. */
const PAST = 260;

function close(p: Position, quantity: number, rolling = false) {
  openTicket({
    symbol: p.symbol,
    unit: p.closing,
    quantity,
    rolling,
    closing: { campaign: p.campaign, name: `${p.name} ${p.strikes}`, held: p.packages },
  });
}

type Picked = Record<number, number>;
/** Closes what is picked, each by an order of its own. */
function CloseSeveral({
  positions,
  picked,
  done,
}: {
  positions: Position[];
  picked: Picked;
  done: () => void;
}) {
  const [at, setAt] = useState<'rest' | 'middle' | 'cross'>('middle');
  const [clientId, setClientId] = useState(() => crypto.randomUUID());
  const which = positions
    .filter((p) => picked[p.campaign] !== undefined)
    .map((p) => ({
      campaign: p.campaign,
      packages: Math.min(picked[p.campaign] ?? 0, p.packages),
    }));
  const legged = positions.filter((p) => picked[p.campaign] !== undefined && !p.oneOrder);
  const send = useMutation({
    mutationFn: async () =>
      must(await api.POST('/api/positions/close', { body: { clientId, positions: which, at } })),
    onSuccess: () => {
      setClientId(crypto.randomUUID());
      done();
    },
  });
  return (
    <div className="flex flex-wrap items-center gap-3 border-y border-brass bg-raised px-2 py-1.5">
      <b>
        Close{' '}
        {which
          .map((w) => {
            const p = positions.find((x) => x.campaign === w.campaign);
            return `${w.packages} × ${p?.symbol ?? ''} ${p?.name ?? ''}`;
          })
          .join(', ')}
      </b>
      {legged.length > 0 && (
        <span className="text-ink2">
          {legged.map((p) => p.name).join(', ')}: more than one order may send, so leg by leg
        </span>
      )}
      <span>at the</span>
      <Choices
        label="Price of the closing orders"
        value={at}
        onChange={setAt}
        choices={[
          { value: 'rest', label: 'rest' },
          { value: 'middle', label: 'middle' },
          { value: 'cross', label: 'cross' },
        ]}
      />
      <Button
        weight="strong"
        disabled={send.isPending || which.some((w) => w.packages < 1)}
        onClick={() => {
          send.mutate();
        }}
      >
        Place {which.length} closing order{which.length > 1 ? 's' : ''}
      </Button>
      <Button onClick={done}>Leave them</Button>
      {send.error && <Notice>{send.error.message}</Notice>}
    </div>
  );
}

/** What is to happen to a bought option at its end; asked in its last week. */
function Exercise({ leg }: { leg: Position['legs'][number] }) {
  const say = useMutation({
    mutationFn: async () => {
      must(
        await api.PUT('/api/exercise', {
          body: { contract: leg.contract, exercise: leg.declined === true },
        }),
      );
    },
  });
  const words = leg.declined ? 'left to expire' : 'exercised if in the money';
  return (
    <Button
      weight="quiet"
      className="ml-1 !h-[18px] !px-1 text-[12px]"
      aria-label={`${leg.label} at its end: ${words}; change`}
      disabled={say.isPending}
      onClick={() => {
        say.mutate();
      }}
    >
      {words}
    </Button>
  );
}

/** The past of the underlying with the position's strikes, break-evens and opening. */
function Past({ p }: { p: Position }) {
  const strikes = [
    ...new Set(p.legs.filter((l) => isOption(l.contract)).map((l) => parts(l.contract).strike)),
  ];
  const evens = p.evens.map((e) => Number(e.from));
  const bars = useQuery(historyQuery(p.symbol, false, BARS)).data?.bars ?? [];
  const last = bars.at(-1)?.close;
  if (last === undefined) return <p className="px-2 text-ink2">Reading the past of {p.symbol}</p>;
  const all = [
    ...bars.flatMap((b) => [b.low, b.high]),
    ...strikes,
    ...evens.filter((e) => Math.abs(e / last - 1) < 0.4),
  ];
  const y = scaleLinear([Math.min(...all), Math.max(...all)], [PAST - 16, 22]);
  const ticks = y.ticks(6);
  return (
    <div className="relative" style={{ height: PAST }}>
      {ticks.map((t) => (
        <span
          key={t}
          className="absolute left-0 w-[52px] text-right text-[11px] leading-3 text-ink2"
          style={{ top: y(t) - 6 }}
        >
          {fixed(t, t < 100 ? 1 : 0)}
        </span>
      ))}
      <div className="absolute top-0 left-[60px]">
        <HistoryPane
          symbol={p.symbol}
          level={last}
          weekly={false}
          axis={{ height: PAST, y: (v) => y(v) }}
          width={900}
          strikes={strikes}
          evens={evens}
          entries={[p.opened.slice(0, 10)]}
        />
      </div>
    </div>
  );
}

function Rows({
  p,
  picked,
  pick,
}: {
  p: Position;
  picked: number | undefined;
  pick: (n: number | undefined) => void;
}) {
  const [open, setOpen] = useState(false);
  const g = p.greeks;
  const half = Math.floor(p.packages / 2);
  return (
    <tbody className="border-b border-strong" data-testid={`position-${p.campaign}`}>
      <tr>
        <td className="px-2 pt-2 text-left">
          <input
            type="checkbox"
            aria-label={`pick ${p.symbol} ${p.name} to close`}
            checked={picked !== undefined}
            onChange={(e) => {
              pick(e.target.checked ? p.packages : undefined);
            }}
            className="mr-1.5 align-middle accent-[var(--brass)]"
          />
          {picked !== undefined && (
            <input
              aria-label={`how many of ${p.symbol} ${p.name}`}
              inputMode="numeric"
              value={picked === 0 ? '' : picked}
              onChange={(e) => {
                const n = Number(e.target.value.replace(/\D/g, ''));
                pick(Math.min(n, p.packages));
              }}
              className="num mr-1.5 h-5 w-10 rounded border border-strong bg-raised px-1 font-semibold"
            />
          )}
          <Link
            to={`/chain/${p.symbol}`}
            className="font-semibold text-brass underline-offset-2 hover:underline"
          >
            {p.symbol}
          </Link>{' '}
          <b>
            {p.expiry ? `${p.packages} × ` : ''}
            {p.name}
          </b>{' '}
          {p.expiry ? p.strikes : p.packages}
        </td>
        <td className="num px-2 pt-2">
          {p.expiry && (
            <>
              {p.expiry}, <b>{p.days} d</b>
            </>
          )}
        </td>
        <td className="px-2 pt-1" rowSpan={2}>
          {p.strip ? (
            <RangeStrip strip={p.strip} id={`strip-${p.campaign}`} width={190} />
          ) : (
            <span className="text-ink2">no range: a leg has no market</span>
          )}
        </td>
        <td
          className={`num px-2 pt-2 text-[14px] font-semibold ${tone(p.openProfit)}`}
          data-testid="open-profit"
        >
          {money(p.openProfit, true)}
        </td>
        <td className="num px-2 pt-2">{p.ofMost == null ? '' : `${percent(p.ofMost, 0)} %`}</td>
        <td className="num px-2 pt-2">{fixed(g?.delta, 1, true)}</td>
        <td className="num px-2 pt-2">{fixed(g?.gamma, 2, true)}</td>
        <td className="num px-2 pt-2">{fixed(g?.theta, 2, true)}</td>
        <td className="num px-2 pt-2">{fixed(g?.vega, 1, true)}</td>
        <td className="num px-2 pt-2">{money(p.margin)}</td>
        <td className="px-2 py-1.5" rowSpan={2}>
          <div className="flex flex-col items-end gap-1">
            {p.expiry && p.oneOrder && (
              <Button
                onClick={() => {
                  close(p, p.packages, true);
                }}
                aria-label={`roll ${p.symbol} ${p.name}`}
              >
                roll
              </Button>
            )}
            <div className="flex items-center gap-1">
              <span className="text-[12px] text-ink2">close</span>
              {half > 0 && (
                <Button
                  onClick={() => {
                    if (p.oneOrder) close(p, half);
                    else pick(half);
                  }}
                  aria-label={`close half of ${p.symbol} ${p.name}`}
                >
                  half
                </Button>
              )}
              <Button
                onClick={() => {
                  if (p.oneOrder) close(p, p.packages);
                  else pick(p.packages);
                }}
                aria-label={`close all of ${p.symbol} ${p.name}`}
              >
                all
              </Button>
            </div>
          </div>
        </td>
      </tr>
      <tr className="text-[12px] text-ink2">
        <td colSpan={2} className="px-2 pb-2 text-left">
          {p.legs.map((l) => (
            <span key={l.contract} className="mr-3 inline-block whitespace-nowrap">
              {l.quantity > 0 ? '+' : '−'}
              {Math.abs(l.quantity)} {l.label}{' '}
              <span className="text-ink">
                {l.openedAt} → {l.mark}
              </span>
              {l.declined != null && <Exercise leg={l} />}
            </span>
          ))}
          <span className="whitespace-nowrap">
            <Button
              weight="quiet"
              className="ml-1 !h-[18px] !px-1 text-[12px] text-ink2"
              aria-expanded={open}
              aria-label={`past of ${p.symbol} with ${p.name}`}
              onClick={() => {
                setOpen(!open);
              }}
            >
              past {open ? '▴' : '▾'}
            </Button>
            <MarginSheet
              request={{
                symbol: p.symbol,
                legs: p.closing.map((l) => ({ ...l, quantity: -l.quantity * p.packages })),
              }}
              name={`${p.symbol} ${p.name}`}
              weight="quiet"
            />
          </span>
        </td>
        <td className="num px-2 pb-2" colSpan={2}>
          realised {money(p.realised, true)} · fees {money(p.fees)}
        </td>
        <td className="num px-2 pb-2" colSpan={5}>
          {p.strip
            ? `${p.estimate ? 'about: ' : ''}max profit ${p.most ? money(p.most, true) : 'no limit'} · max loss ${p.least ? money(p.least) : 'no limit'}`
            : 'no max profit and loss'}
          {p.evens.length > 0 && ` · break-even ${p.evens.map((e) => e.from).join(', ')}`}
          {p.unvalued.length > 0 && (
            <span className="text-loss">
              {' '}
              · no market: {p.unvalued.join(', ')}, counted at cost
            </span>
          )}
        </td>
      </tr>
      {open && (
        <tr>
          <td colSpan={11} className="border-t border-hair py-1">
            <Past p={p} />
          </td>
        </tr>
      )}
    </tbody>
  );
}

export function BookView() {
  const book = useLive((s) => s.book);
  useEffect(() => {
    followBook(true);
    return () => {
      followBook(false);
    };
  }, []);
  const [picked, setPicked] = useState<Picked>({});
  if (!book) return <p className="p-6 text-ink2">Reading the book</p>;
  const some = book.positions.some((p) => picked[p.campaign] !== undefined);
  return (
    <div className="h-full overflow-auto px-4 pb-6" tabIndex={0}>
      <h1 className="pt-3 pb-1 font-serif text-[22px]">Book</h1>
      {book.positions.length === 0 ? (
        <p className="text-ink2">
          No open positions. Build a draft in the{' '}
          <Link to="/chain" className="text-brass underline">
            chain
          </Link>
          , open its ticket and place it: once filled it is carried here with its profit, range and
          margin.
        </p>
      ) : (
        <>
          {some && (
            <CloseSeveral
              positions={book.positions}
              picked={picked}
              done={() => {
                setPicked({});
              }}
            />
          )}
          <table className="w-full table-fixed border-collapse">
            <colgroup>
              {[null, 84, 206, 84, 58, 58, 54, 62, 58, 84, 128].map((w, i) => (
                <col key={i} style={w === null ? undefined : { width: w }} />
              ))}
            </colgroup>
            <thead>
              <tr>
                <th className={left}>position</th>
                <th className={right}>expires</th>
                <th className={left}>range at expiration</th>
                <th className={right}>open profit</th>
                <th className={right}>% of max</th>
                <th className={right}>Δ</th>
                <th className={right}>Γ</th>
                <th className={right}>θ a day</th>
                <th className={right}>vega</th>
                <th className={right}>margin</th>
                <th className={right}>
                  <span className="sr-only">actions</span>
                </th>
              </tr>
            </thead>
            {book.positions.map((p) => (
              <Rows
                key={p.campaign}
                p={p}
                picked={picked[p.campaign]}
                pick={(n) => {
                  setPicked((all) => {
                    const rest = Object.fromEntries(
                      Object.entries(all).filter(([id]) => Number(id) !== p.campaign),
                    );
                    return n === undefined ? rest : { ...rest, [p.campaign]: n };
                  });
                }}
              />
            ))}
          </table>
          <p className="pt-2 text-ink2">
            Margin held: {book.held.map((h) => `${h.symbol} ${money(h.amount)}`).join(' · ')}.
            Positions in one underlying are margined together.
          </p>
        </>
      )}
    </div>
  );
}
