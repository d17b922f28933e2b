import type { ReactNode } from 'react';
import { Button } from '../../ui/controls';
import { DateField } from '../../ui/DateField';
import { SelectField, Tick } from '../../ui/fields';
import { ConditionFields, ConditionList } from './ConditionFields';
import { NumField } from './NumField';
import {
  put,
  replaced,
  type Adjust,
  type Deed,
  type Drill,
  type DrillLeg,
  type Num,
} from './drill';

const choices = (all: string[]) => all.map((value) => ({ value, name: value }));

function Question({ title, children }: { title: string; children: ReactNode }) {
  return (
    <fieldset className="flex flex-col gap-1 border-t border-hair pt-1 pb-2">
      <legend className="pr-2 font-serif text-[15px]">{title}</legend>
      {children}
    </fieldset>
  );
}
const row = 'flex flex-wrap items-center gap-1.5';

const PLACES = ['delta', 'points', 'percent', 'sigma', 'leg'] as const;
type PlaceBy = (typeof PLACES)[number];
const PLACE_NAMES: Record<PlaceBy, string> = {
  delta: 'delta',
  points: 'points',
  percent: '%',
  sigma: 'σ',
  leg: 'from leg',
};

function LegFields({
  leg,
  number,
  onChange,
  onRemove,
}: {
  leg: DrillLeg;
  number: number;
  onChange: (leg: DrillLeg) => void;
  onRemove: () => void;
}) {
  const name = `leg ${number}`;
  const strike = leg.strike ?? {};
  const by: PlaceBy =
    strike.leg === undefined ? (PLACES.find((p) => strike[p] !== undefined) ?? 'delta') : 'leg';
  const shown = by === 'leg' ? strike.points : strike[by];
  const set = (value: Num) => {
    onChange({
      ...leg,
      strike: by === 'leg' ? { leg: strike.leg ?? 1, points: value } : { [by]: value },
    });
  };
  return (
    <div className="flex flex-wrap items-center gap-1">
      <span className="w-3 text-ink2">{number}</span>
      <SelectField
        label={`${name}: side`}
        value={leg.side}
        choices={choices(['buy', 'sell']) as { value: 'buy' | 'sell'; name: string }[]}
        onChange={(side) => {
          onChange({ ...leg, side });
        }}
      />
      <NumField
        label={`${name}: quantity`}
        wide="w-8"
        value={leg.quantity}
        onChange={(quantity) => {
          if (quantity !== undefined) onChange({ ...leg, quantity });
        }}
      />
      <SelectField
        label={`${name}: right`}
        value={leg.right}
        choices={[
          { value: 'put', name: 'put' },
          { value: 'call', name: 'call' },
          { value: 'underlying', name: 'outright' },
        ]}
        onChange={(right) => {
          const { side, quantity } = leg;
          onChange(
            right === 'underlying'
              ? { side, quantity, right }
              : { ...leg, right, strike: leg.strike ?? { delta: 0.2 } },
          );
        }}
      />
      {leg.right !== 'underlying' && (
        <>
          <NumField
            label={`${name}: strike`}
            wide="w-16"
            value={shown}
            onChange={(n) => {
              if (n !== undefined) set(n);
            }}
          />
          <SelectField
            label={`${name}: strike by`}
            value={by}
            choices={PLACES.map((value) => ({ value, name: PLACE_NAMES[value] }))}
            onChange={(p) => {
              onChange({
                ...leg,
                strike: p === 'leg' ? { leg: 1, points: 0 } : { [p]: p === 'delta' ? 0.2 : 0 },
              });
            }}
          />
          {by === 'leg' && (
            <NumField
              label={`${name}: from leg`}
              wide="w-8"
              value={strike.leg}
              onChange={(n) => {
                if (typeof n === 'number') onChange({ ...leg, strike: { ...strike, leg: n } });
              }}
            />
          )}
          <span className="flex items-center gap-1 text-ink2">
            later
            <NumField
              label={`${name}: days later`}
              wide="w-8"
              empty
              value={leg.later}
              onChange={(later) => {
                onChange(put(leg, 'later', later));
              }}
            />
            d
          </span>
        </>
      )}
      <Button weight="quiet" aria-label={`remove ${name}`} onClick={onRemove}>
        ×
      </Button>
    </div>
  );
}

const DEEDS = ['close', 'rebuild', 'roll', 'close pressed', 'close quiet'] as const;
const DEED_NAMES: Record<(typeof DEEDS)[number], string> = {
  close: 'close all',
  rebuild: 'build anew',
  roll: 'roll, days ahead',
  'close pressed': 'close the pressed side',
  'close quiet': 'close the quiet side',
};
const deedWord = (d: Deed): (typeof DEEDS)[number] =>
  typeof d === 'string' ? d : 'roll' in d ? 'roll' : `close ${d.close_side}`;
const deedOf = (word: (typeof DEEDS)[number]): Deed =>
  word === 'roll'
    ? { roll: 30 }
    : word === 'close pressed'
      ? { close_side: 'pressed' }
      : word === 'close quiet'
        ? { close_side: 'quiet' }
        : word;

function AdjustFields({
  rule,
  number,
  onChange,
  onRemove,
}: {
  rule: Adjust;
  number: number;
  onChange: (rule: Adjust) => void;
  onRemove: () => void;
}) {
  const deed = rule.do;
  return (
    <div className="flex flex-col border-b border-hair pb-1">
      <div className={row}>
        <span className="w-4 text-ink2">{number}</span>when
        <ConditionFields
          label={`adjustment ${number}`}
          before={false}
          value={rule.when}
          onChange={(when) => {
            onChange({ ...rule, when });
          }}
        />
      </div>
      <div className={`${row} pl-5`}>
        <SelectField
          label={`adjustment ${number}: what`}
          value={deedWord(deed)}
          choices={DEEDS.map((value) => ({ value, name: DEED_NAMES[value] }))}
          onChange={(word) => {
            onChange({ ...rule, do: deedOf(word) });
          }}
        />
        {typeof deed === 'object' && 'roll' in deed && (
          <NumField
            label={`adjustment ${number}: days ahead`}
            wide="w-12"
            value={deed.roll}
            onChange={(n) => {
              if (n !== undefined) onChange({ ...rule, do: { roll: n } });
            }}
          />
        )}
        <span className="flex items-center gap-1 text-ink2">
          at most
          <NumField
            label={`adjustment ${number}: at most`}
            wide="w-10"
            empty
            value={rule.most}
            onChange={(most) => {
              onChange(put(rule, 'most', most));
            }}
          />
          times
        </span>
        <Button weight="quiet" aria-label={`remove adjustment ${number}`} onClick={onRemove}>
          ×
        </Button>
      </div>
    </div>
  );
}

const EVERY = ['expiration', 'free', 'sessions'] as const;
const EVERY_NAMES: Record<(typeof EVERY)[number], string> = {
  expiration: 'once for each expiration',
  free: 'when no cycle is open',
  sessions: 'sessions after the last entry',
};

/** A drill in fields, grouped by its questions. */
export function DrillForm({
  drill,
  onChange,
  symbols,
}: {
  drill: Drill;
  onChange: (drill: Drill) => void;
  symbols: string[];
}) {
  const { enter, leave } = drill;
  const setEnter = (change: Partial<Drill['enter']>) => {
    onChange({ ...drill, enter: { ...enter, ...change } });
  };
  const percent = typeof enter.size === 'object' && !Array.isArray(enter.size) ? enter.size : null;
  const every =
    enter.every === 'expiration' || enter.every === 'free' ? enter.every : ('sessions' as const);
  const looks = drill.looks[0] ?? 'close';
  const lookKind = looks.startsWith('every') ? 'every' : drill.looks.length > 1 ? 'both' : looks;
  return (
    <div className="flex flex-col">
      <Question title="On what">
        <div className={row}>
          <SelectField
            label="symbol"
            value={drill.symbol}
            choices={choices(symbols.includes(drill.symbol) ? symbols : [drill.symbol, ...symbols])}
            onChange={(symbol) => {
              onChange({ ...drill, symbol });
            }}
          />
          from
          <DateField
            label="from"
            value={drill.from}
            onChange={(from) => {
              if (from) onChange({ ...drill, from });
            }}
          />
          to
          <DateField
            label="to"
            value={drill.to}
            onChange={(to) => {
              if (to) onChange({ ...drill, to });
            }}
          />
        </div>
        <div className={row}>
          looks
          <SelectField
            label="looks"
            value={lookKind}
            choices={[
              { value: 'close', name: 'at 15:45' },
              { value: 'open', name: 'at 09:45' },
              { value: 'both', name: 'at 09:45 and 15:45' },
              { value: 'every', name: 'every so many minutes' },
            ]}
            onChange={(kind) => {
              onChange({
                ...drill,
                looks:
                  kind === 'both'
                    ? ['open', 'close']
                    : kind === 'every'
                      ? ['every 30 minutes']
                      : [kind],
              });
            }}
          />
          {lookKind === 'every' && (
            <NumField
              label="minutes between looks"
              wide="w-12"
              value={Number(looks.split(' ')[1])}
              onChange={(n) => {
                if (typeof n === 'number') onChange({ ...drill, looks: [`every ${n} minutes`] });
              }}
            />
          )}
          price
          <NumField
            label="price: 0 the middle, 1 the far side of every leg"
            wide="w-12"
            value={typeof drill.price === 'string' ? (drill.price === 'far' ? 1 : 0) : drill.price}
            onChange={(price) => {
              if (price !== undefined) onChange({ ...drill, price });
            }}
          />
          <span
            className="text-ink2"
            title="0 the middle, 1 the far side of every leg: dearer than the cross of a package"
          >
            of the way to far
          </span>
          <Tick
            name="fees"
            on={drill.fees}
            onChange={(fees) => {
              onChange({ ...drill, fees });
            }}
          />
          <span className="flex items-center gap-1.5">
            stake
            <NumField
              label="stake: money one cycle is measured against"
              empty
              value={drill.stake}
              onChange={(stake) => {
                onChange(put(drill, 'stake', stake));
              }}
            />
          </span>
        </div>
      </Question>
      <Question title="When to enter">
        <div className={row}>
          <SelectField
            label="kind of expiration"
            value={enter.expiration.kind}
            choices={choices(['monthly', 'weekly', 'any'])}
            onChange={(kind) => {
              setEnter({ expiration: { ...enter.expiration, kind } });
            }}
          />
          with at most
          <NumField
            label="days left at the most"
            wide="w-12"
            value={enter.expiration.days}
            onChange={(days) => {
              if (days !== undefined) setEnter({ expiration: { ...enter.expiration, days } });
            }}
          />
          days left, at least
          <NumField
            label="days left at the least; seven fewer where empty"
            wide="w-12"
            empty
            value={enter.expiration.least}
            onChange={(least) => {
              setEnter({ expiration: put(enter.expiration, 'least', least) });
            }}
          />
        </div>
        <div className={row}>
          <SelectField
            label="how often"
            value={every}
            choices={EVERY.map((value) => ({ value, name: EVERY_NAMES[value] }))}
            onChange={(word) => {
              setEnter({ every: word === 'sessions' ? 5 : word });
            }}
          />
          {every === 'sessions' && (
            <NumField
              label="sessions after the last entry"
              wide="w-12"
              value={enter.every as Num}
              onChange={(n) => {
                if (n !== undefined) setEnter({ every: n });
              }}
            />
          )}
        </div>
        <ConditionList
          label="entry condition"
          before
          list={enter.if ?? []}
          onChange={(list) => {
            onChange({ ...drill, enter: put(enter, 'if', list.length === 0 ? undefined : list) });
          }}
          add="only if"
        />
      </Question>
      <Question title="What">
        {enter.legs.map((leg, i) => (
          <LegFields
            key={i}
            leg={leg}
            number={i + 1}
            onChange={(next) => {
              setEnter({ legs: replaced(enter.legs, i, next) });
            }}
            onRemove={() => {
              setEnter({ legs: replaced(enter.legs, i, undefined) });
            }}
          />
        ))}
        <Button
          weight="quiet"
          className="w-fit"
          onClick={() => {
            setEnter({
              legs: [
                ...enter.legs,
                { side: 'sell', quantity: 1, right: 'call', strike: { delta: 0.2 } },
              ],
            });
          }}
        >
          + a leg
        </Button>
      </Question>
      <Question title="How large">
        <div className={row}>
          <SelectField
            label="how large"
            value={percent ? 'percent' : 'times'}
            choices={[
              { value: 'times', name: 'so many times' },
              { value: 'percent', name: 'max loss within % of the stake' },
            ]}
            onChange={(what) => {
              setEnter({ size: what === 'percent' ? { percent_of_stake: 50 } : 1 });
            }}
          />
          <NumField
            label="size"
            wide="w-12"
            value={percent ? percent.percent_of_stake : (enter.size as Num)}
            onChange={(n) => {
              if (n !== undefined) setEnter({ size: percent ? { percent_of_stake: n } : n });
            }}
          />
        </div>
      </Question>
      <Question title="When to adjust, and how">
        {(drill.adjust ?? []).map((rule, i) => (
          <AdjustFields
            key={i}
            rule={rule}
            number={i + 1}
            onChange={(next) => {
              onChange({ ...drill, adjust: replaced(drill.adjust ?? [], i, next) });
            }}
            onRemove={() => {
              onChange({ ...drill, adjust: replaced(drill.adjust ?? [], i, undefined) });
            }}
          />
        ))}
        <Button
          weight="quiet"
          className="w-fit"
          onClick={() => {
            const first: Adjust = {
              when: { price: { at_or_below: { leg: 1, points: 0 } } },
              do: 'rebuild',
              most: 1,
            };
            onChange({ ...drill, adjust: [...(drill.adjust ?? []), first] });
          }}
        >
          + an adjustment
        </Button>
      </Question>
      <Question title="When to leave">
        <ConditionList
          label="leave condition"
          before={false}
          list={leave.when ?? []}
          onChange={(when) => {
            onChange({ ...drill, leave: { ...leave, when } });
          }}
          add="or when"
        />
        <span className={row}>
          when the
          <NumField
            label="until so many expirations on"
            wide="w-10"
            empty
            value={leave.until_expirations}
            onChange={(n) => {
              onChange({ ...drill, leave: put(leave, 'until_expirations', n) });
            }}
          />
          next expiration can be entered
        </span>
      </Question>
    </div>
  );
}
