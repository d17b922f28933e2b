import { useMutation, useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { api, must, type BellRequest } from '../api/client';
import { useLive } from '../api/live';
import { marketsQuery, rulesQuery } from '../api/queries';
import { isOption, parts } from '../drafts/contract';
import { useDrafts } from '../drafts/store';
import { dayMonth } from '../format';
import { isPrice } from '../ticket/PriceChooser';
import { Button, Choices, Notice } from '../ui/controls';
import { DateField } from '../ui/DateField';

const named = (contract: string) => {
  if (!isOption(contract)) return contract;
  const p = parts(contract);
  return `${p.strike} ${p.kind === 'C' ? 'call' : 'put'}, ${dayMonth(p.date)}`;
};

type Of = 'underlying' | 'contract' | 'package' | 'campaign' | 'volatility' | 'account';
type Side = BellRequest['side'];
const OF: { value: Of; label: string }[] = [
  { value: 'underlying', label: 'an underlying' },
  { value: 'contract', label: 'a leg of the draft' },
  { value: 'package', label: 'the draft' },
  { value: 'campaign', label: 'a campaign' },
  { value: 'volatility', label: 'a volatility' },
  { value: 'account', label: 'the account' },
];

function Select({
  label,
  value,
  onChange,
  children,
}: {
  label: string;
  value: string | number | undefined;
  onChange: (value: string) => void;
  children: ReactNode;
}) {
  return (
    <select
      aria-label={label}
      value={value}
      onChange={(e) => {
        onChange(e.target.value);
      }}
      className="h-6 max-w-full rounded border border-strong bg-ground px-1"
    >
      {children}
    </select>
  );
}

/** A new bell on a price, on a figure of a campaign, on a volatility or on the account. */
export function NewBell() {
  const markets = useQuery(marketsQuery).data ?? [];
  const watched = useLive((s) => s.head?.symbol);
  const draft = useDrafts((s) => s.drafts[s.active]);
  const [of, setOf] = useState<Of>('underlying');
  const [chosen, setSymbol] = useState<string>();
  const [leg, setLeg] = useState<string>();
  const [held, setHeld] = useState<number>();
  const [figure, setFigure] = useState<string>();
  const [side, setSide] = useState<Side>('above');
  const [level, setLevel] = useState('');
  const [paid, setPaid] = useState<'debit' | 'credit'>('debit');
  const [again, setAgain] = useState('');
  const [until, setUntil] = useState('');
  const [note, setNote] = useState('');
  const ofFigure = of === 'campaign' || of === 'account' || of === 'volatility';
  const rules = useQuery({ ...rulesQuery, enabled: ofFigure }).data;
  const book = useQuery({
    queryKey: ['book'],
    enabled: of === 'campaign',
    queryFn: async () => must(await api.GET('/api/book')),
  }).data;
  const positions = book?.positions ?? [];
  const measures = (rules?.measures ?? []).filter((m) =>
    of === 'volatility'
      ? m.measure === 'vol' || m.measure === 'rank'
      : m.subject === (of === 'account' ? 'account' : 'campaign'),
  );
  const measure = measures.find((m) => m.measure === figure) ?? measures[0];
  const symbol =
    of === 'contract' || of === 'package'
      ? (draft?.symbol ?? '')
      : (chosen ?? watched ?? markets[0]?.symbol ?? '');
  const legs = draft?.legs ?? [];
  const contract =
    leg !== undefined && legs.some((l) => l.contract === leg) ? leg : legs[0]?.contract;
  const campaign = held ?? positions[0]?.campaign;
  const turned = of === 'package' && paid === 'credit';
  const on = (): BellRequest['of'] => {
    const word = measure?.measure ?? '';
    if (of === 'campaign') return { on: 'campaign', campaign: campaign ?? 0, measure: word };
    if (of === 'volatility') return { on: 'volatility', symbol, measure: word };
    if (of === 'account') return { on: 'account', measure: word };
    const unit =
      of === 'underlying'
        ? []
        : of === 'contract'
          ? [{ contract: contract ?? '', quantity: 1 }]
          : legs;
    return { on: 'price', symbol, legs: unit };
  };
  const set = useMutation({
    mutationFn: async () => {
      const sides = ofFigure ? (measure?.sides ?? []) : (['above', 'below', 'crossing'] as const);
      const wanted: Side = sides.find((s) => s === side) ?? measure?.sides[0] ?? 'above';
      must(
        await api.POST('/api/bells', {
          body: {
            of: on(),
            // A package that pays more has a lower price.
            side:
              turned && wanted !== 'crossing' ? (wanted === 'above' ? 'below' : 'above') : wanted,
            level: turned ? `-${level}` : level,
            again: again === '' ? undefined : again,
            until: until === '' ? undefined : until,
            note,
          },
        }),
      );
    },
    onSuccess: () => {
      setLevel('');
      setNote('');
    },
  });
  const more = of === 'package';
  const sides: { value: Side; label: string }[] = [
    { value: 'above', label: more ? 'at or more than' : 'at or above' },
    { value: 'below', label: more ? 'at or less than' : 'at or below' },
  ];
  const allowed = ofFigure
    ? sides.filter((s) => measure?.sides.some((m) => m === s.value))
    : [...sides, { value: 'crossing' as const, label: 'crossing' }];
  const isNumber = ofFigure ? /^-?\d+(\.\d+)?$/.test(level) : isPrice(level);
  const missing =
    ((of === 'contract' || of === 'package') && legs.length === 0) ||
    (of === 'campaign' && campaign === undefined) ||
    (ofFigure && !measure) ||
    ((of === 'underlying' || of === 'volatility') && symbol === '');
  return (
    <form
      className="flex flex-col gap-2 border-t border-strong pt-2"
      onSubmit={(e) => {
        e.preventDefault();
        set.mutate();
      }}
    >
      <div className="font-semibold">A new bell</div>
      <Choices label="Bell on" value={of} onChange={setOf} choices={OF} wrap />
      {(of === 'underlying' || of === 'volatility') && (
        <label className="flex items-center gap-2">
          symbol
          <Select label="Symbol of the bell" value={symbol} onChange={setSymbol}>
            {markets.map((m) => (
              <option key={m.symbol} value={m.symbol}>
                {m.symbol}
              </option>
            ))}
          </Select>
        </label>
      )}
      {(of === 'contract' || of === 'package') && legs.length === 0 && (
        <p className="text-ink2">
          The tray holds no draft; click an ask or a bid in the chain first.
        </p>
      )}
      {of === 'contract' && legs.length > 0 && (
        <Select label="Leg of the bell" value={contract} onChange={setLeg}>
          {legs.map((l) => (
            <option key={l.contract} value={l.contract}>
              {named(l.contract)}
            </option>
          ))}
        </Select>
      )}
      {of === 'campaign' && book && positions.length === 0 && (
        <p className="text-ink2">No campaign is open.</p>
      )}
      {of === 'campaign' && positions.length > 0 && (
        <Select
          label="Campaign of the bell"
          value={campaign}
          onChange={(id) => {
            setHeld(Number(id));
          }}
        >
          {positions.map((p) => (
            <option key={p.campaign} value={p.campaign}>
              {p.symbol} {p.title}
            </option>
          ))}
        </Select>
      )}
      {ofFigure && (
        <Select label="Figure of the bell" value={measure?.measure} onChange={setFigure}>
          {measures.map((m) => (
            <option key={m.measure} value={m.measure}>
              {m.noun} ({m.unit})
            </option>
          ))}
        </Select>
      )}
      <div className="flex flex-wrap items-center gap-2">
        <Choices
          label="Side of the level"
          value={allowed.some((a) => a.value === side) ? side : (allowed[0]?.value ?? 'above')}
          onChange={setSide}
          choices={allowed}
        />
        <input
          aria-label="Level of the bell"
          inputMode="decimal"
          value={level}
          onChange={(e) => {
            setLevel(e.target.value.trim());
          }}
          className="num h-6 w-20 rounded border border-strong bg-ground px-2 font-semibold"
        />
        {more && (
          <Choices
            label="Debit or credit of the bell"
            value={paid}
            onChange={setPaid}
            choices={[
              { value: 'credit', label: 'credit' },
              { value: 'debit', label: 'debit' },
            ]}
          />
        )}
      </div>
      <div className="flex flex-wrap items-center gap-2 text-ink2">
        <label className="flex items-center gap-1">
          again once it is back by
          <input
            inputMode="decimal"
            placeholder="never"
            value={again}
            onChange={(e) => {
              setAgain(e.target.value.trim());
            }}
            className="num h-6 w-14 rounded border border-strong bg-ground px-1 text-ink placeholder:text-ink2"
          />
        </label>
        <span className="flex items-center gap-1">
          until <DateField label="Last date of the bell" value={until} onChange={setUntil} />
        </span>
      </div>
      <input
        aria-label="Note of the bell"
        placeholder="a note"
        maxLength={1000}
        value={note}
        onChange={(e) => {
          setNote(e.target.value);
        }}
        className="h-6 rounded border border-strong bg-ground px-2 placeholder:text-ink2"
      />
      {ofFigure && (
        <p className="text-[12px] text-ink2">
          {of === 'account'
            ? 'The account is looked at when the exchange opens, at 10, 12 and 14 o’clock and at the close.'
            : 'It is looked at when the exchange opens, every ten minutes and at the close; what lies between is not judged.'}
        </p>
      )}
      {set.error && <Notice>{set.error.message}</Notice>}
      <Button
        type="submit"
        weight="strong"
        className="self-start"
        disabled={!isNumber || missing || set.isPending}
      >
        Set the bell
      </Button>
    </form>
  );
}
