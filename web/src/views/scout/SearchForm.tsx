import type { Family } from '../../api/client';
import { Choices } from '../../ui/controls';
import { NumberField, readNumber, SelectField, Tick } from '../../ui/fields';
import { Term } from '../../ui/terms';
import { FAMILIES, isShare, RANKS, useAsked, type Asked } from './asked';

type Plain =
  | 'expirations'
  | 'strikes'
  | 'reach'
  | 'width'
  | 'maxLoss'
  | 'capital'
  | 'chance'
  | 'legs'
  | 'marketWidth'
  | 'openInterest';
const set = (change: Partial<Asked>) => {
  useAsked.setState(change);
};

function Line({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <div role="group" aria-label={name} className="flex gap-2">
      <span className="w-[58px] shrink-0 pt-0.5 text-[12px] text-ink2">{name}</span>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">{children}</div>
    </div>
  );
}

function Families() {
  const families = useAsked((a) => a.families);
  const turn = (f: Family) => {
    set({ families: families.includes(f) ? families.filter((x) => x !== f) : [...families, f] });
  };
  return (
    <div className="flex flex-wrap gap-1">
      {FAMILIES.map((f) => (
        <button
          key={f.value}
          type="button"
          aria-pressed={families.includes(f.value)}
          onClick={() => {
            turn(f.value);
          }}
          className={`h-[22px] rounded border px-1.5 text-[12px] ${families.includes(f.value) ? 'border-brass bg-brass-soft text-brass' : 'border-strong bg-raised'}`}
        >
          {f.name}
        </button>
      ))}
      {(['all', 'none'] as const).map((of) => (
        <button
          key={of}
          type="button"
          className="px-0.5 text-[12px] text-brass underline"
          onClick={() => {
            set({ families: of === 'all' ? FAMILIES.map((f) => f.value) : [] });
          }}
        >
          {of}
        </button>
      ))}
    </div>
  );
}

/** The measure of the best, written out; or weights of one's own. */
function Rank() {
  const { rank, weights } = useAsked();
  const written = RANKS.find((r) => r.value === rank)?.written;
  return (
    <>
      <SelectField
        label="Rank by"
        value={rank}
        onChange={(value) => {
          set({ rank: value });
        }}
        choices={[
          ...RANKS.map((r) => ({ value: r.value, name: r.name })),
          { value: 'own', name: 'weights of mine' },
        ]}
      />
      {written ? (
        <span className="text-[12px] text-ink2">{written}</span>
      ) : (
        <>
          {RANKS.map((r) => (
            <NumberField
              key={r.value}
              label={`Weight of ${r.name}`}
              name={r === RANKS[0] ? '' : '+'}
              value={weights[r.value]}
              wide="w-12"
              placeholder="0"
              onChange={(text) => {
                set({ weights: { ...weights, [r.value]: text } });
              }}
              unit={`× ${r.name}${isShare(r.value) ? ', %' : ''}`}
            />
          ))}
        </>
      )}
    </>
  );
}

/** Everything that a search asks beside the expectation: families, prices, reach, the measure, limits. */
export function SearchForm() {
  const a = useAsked();
  const price = readNumber(a.price);
  const field = (key: Plain, label: string, name: React.ReactNode, unit?: React.ReactNode) => (
    <NumberField
      label={label}
      name={name}
      unit={unit}
      wide="w-14"
      value={a[key]}
      onChange={(text) => {
        set({ [key]: text });
      }}
    />
  );
  return (
    <div className="flex flex-col gap-2">
      <Line name="families">
        <Families />
      </Line>
      <Line name="over">
        {field('expirations', 'Expirations', '', 'expirations,')}
        {field('strikes', 'Strikes at most', '', <Term of="everyStrike">strikes each</Term>)}
        {field('reach', 'Reach', <Term of="reach" />, 'σ')}
        {field('width', 'Wing at most', 'wing at most')}
      </Line>
      <Line name="price">
        <NumberField
          label="Part of the way to the far side"
          value={a.price}
          wide="w-14"
          wrong={price != null && (price < 0 || price > 1)}
          onChange={(text) => {
            set({ price: text });
          }}
          unit={
            <>
              of the way from the middle (0) to the <Term of="farSide" /> side (1)
            </>
          }
        />
        <Tick
          name="fees taken off"
          on={a.fees}
          onChange={(fees) => {
            set({ fees });
          }}
        />
      </Line>
      <Line name="rank by">
        <Rank />
      </Line>
      <Line name="limits">
        {field('maxLoss', 'Max loss at most', 'max loss')}
        {field('capital', 'Capital at most', 'capital')}
        {field('chance', 'Chance at least', 'chance from', '%')}
        {field('legs', 'Legs at most', 'legs to')}
        {field('marketWidth', 'Market width at most', <Term of="marketWide" />, '% of capital')}
        {field('openInterest', 'Open interest at least', 'open from')}
        <Choices
          label="Debit or credit"
          value={a.pays}
          onChange={(pays) => {
            set({ pays });
          }}
          choices={[
            { value: 'either', label: 'either' },
            { value: 'debit', label: 'debit' },
            { value: 'credit', label: 'credit' },
          ]}
        />
        <Tick
          name="loss without limit"
          on={a.unlimited}
          onChange={(unlimited) => {
            set({ unlimited });
          }}
        />
        <Tick
          name="within my level"
          on={a.level}
          onChange={(level) => {
            set({ level });
          }}
        />
        <Tick
          name="within my rule about risk"
          on={a.rule}
          onChange={(rule) => {
            set({ rule });
          }}
        />
        <Tick
          name="keeps my lean in its band"
          on={a.lean}
          onChange={(lean) => {
            set({ lean });
          }}
        />
      </Line>
    </div>
  );
}
