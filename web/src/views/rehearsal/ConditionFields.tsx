import { Button } from '../../ui/controls';
import { SelectField } from '../../ui/fields';
import { NumField } from './NumField';
import {
  AMOUNTS,
  CONDITIONS,
  keyOf,
  LIMITS,
  replaced,
  SIDE,
  type Condition,
  type Num,
} from './drill';

const choices = (all: [string, string][]) => all.map(([value, name]) => ({ value, name }));
const SIDES: [string, string][] = [
  ['at_or_above', 'at or above'],
  ['at_or_below', 'at or below'],
];
const EVENTS: [string, string][] = [
  ['earnings', 'earnings'],
  ['decision', 'a decision'],
  ['ex-dividend', 'an ex-date'],
];
type Of<T> = { value: T; onChange: (value: T) => void; label: string };

/** A table with one key and a number: which, and how much. */
function OneOf({
  value,
  onChange,
  label,
  all,
}: Of<Record<string, Num>> & { all: [string, string][] }) {
  const key = Object.keys(value)[0] ?? '';
  return (
    <>
      <SelectField
        label={`${label}: of what`}
        value={key}
        choices={choices(all)}
        onChange={(k) => {
          onChange({ [k]: value[key] ?? 0 });
        }}
      />
      <NumField
        label={`${label}: how much`}
        value={value[key]}
        onChange={(n) => {
          if (n !== undefined) onChange({ [key]: n });
        }}
      />
    </>
  );
}

type Level = Num | { leg: number; points: Num };
/** The price at a level of its own, or so far from the strike of a leg. */
function PriceFields({ value, onChange, label }: Of<Record<string, Level>>) {
  const side = Object.keys(value)[0] ?? 'at_or_below';
  const level = value[side] ?? 0;
  const ofLeg = typeof level === 'object' && !Array.isArray(level) ? level : undefined;
  const set = (next: Level) => {
    onChange({ [side]: next });
  };
  return (
    <>
      <SelectField
        label={`${label}: side`}
        value={side}
        choices={choices(SIDES)}
        onChange={(s) => {
          onChange({ [s]: level });
        }}
      />
      {ofLeg ? (
        <NumField
          label={`${label}: points from its strike`}
          value={ofLeg.points}
          onChange={(points) => {
            if (points !== undefined) set({ ...ofLeg, points });
          }}
        />
      ) : (
        <NumField
          label={`${label}: price`}
          value={level as Num}
          onChange={(n) => {
            if (n !== undefined) set(n);
          }}
        />
      )}
      <SelectField
        label={`${label}: from`}
        value={ofLeg ? 'leg' : 'price'}
        choices={choices([
          ['price', 'as a price'],
          ['leg', 'from the strike of leg'],
        ])}
        onChange={(what) => {
          set(what === 'leg' ? { leg: 1, points: 0 } : 0);
        }}
      />
      {ofLeg && (
        <NumField
          label={`${label}: leg`}
          wide="w-8"
          value={ofLeg.leg}
          onChange={(leg) => {
            if (typeof leg === 'number') set({ ...ofLeg, leg });
          }}
        />
      )}
    </>
  );
}

function Fields({ value, onChange, label, before }: Of<Condition> & { before: boolean }) {
  const key = keyOf(value);
  const inner = value[key];
  const set = (next: unknown) => {
    onChange({ [key]: next });
  };
  switch (key) {
    case 'profit':
    case 'loss':
      return (
        <OneOf label={label} all={AMOUNTS} value={inner as Record<string, Num>} onChange={set} />
      );
    case 'days_left':
    case 'days_open':
      return (
        <NumField
          label={`${label}: days`}
          value={inner as Num}
          onChange={(n) => {
            if (n !== undefined) set(n);
          }}
        />
      );
    case 'price':
      return <PriceFields label={label} value={inner as Record<string, Level>} onChange={set} />;
    case 'delta': {
      const d = inner as { leg: number; at_or_above: Num };
      return (
        <>
          <NumField
            label={`${label}: leg`}
            wide="w-8"
            value={d.leg}
            onChange={(leg) => {
              if (typeof leg === 'number') set({ ...d, leg });
            }}
          />
          at or above
          <NumField
            label={`${label}: delta`}
            value={d.at_or_above}
            onChange={(n) => {
              if (n !== undefined) set({ ...d, at_or_above: n });
            }}
          />
        </>
      );
    }
    case 'event': {
      const e = inner as { kind: string; sessions: Num };
      return (
        <>
          <SelectField
            label={`${label}: kind`}
            value={e.kind}
            choices={choices(EVENTS)}
            onChange={(kind) => {
              set({ ...e, kind });
            }}
          />
          within
          <NumField
            label={`${label}: sessions`}
            wide="w-10"
            value={e.sessions}
            onChange={(sessions) => {
              if (sessions !== undefined) set({ ...e, sessions });
            }}
          />
          sessions
        </>
      );
    }
    case 'and':
    case 'or':
      return (
        <div className="basis-full border-l border-strong pl-2">
          <ConditionList
            label={label}
            before={before}
            list={inner as Condition[]}
            onChange={set}
            add="add one"
          />
        </div>
      );
    case 'not':
      return (
        <div className="basis-full border-l border-strong pl-2">
          <ConditionFields
            label={`${label}, not`}
            before={before}
            value={inner as Condition}
            onChange={set}
          />
        </div>
      );
    default: {
      const only = SIDE[key];
      return LIMITS.some(([k]) => k === key) ? (
        <OneOf
          label={label}
          all={only === undefined ? SIDES : SIDES.filter(([s]) => s === only)}
          value={inner as Record<string, Num>}
          onChange={set}
        />
      ) : (
        <span className="text-loss">not known</span>
      );
    }
  }
}

/** One condition: what is looked at, and where it holds. */
export function ConditionFields({
  value,
  onChange,
  onRemove,
  label,
  before,
}: Of<Condition> & { before: boolean; onRemove?: () => void }) {
  const key = keyOf(value);
  const all = CONDITIONS.filter((c) => !before || c.before);
  return (
    <div className="flex items-start gap-1 py-0.5">
      <div className="flex min-w-0 flex-wrap items-center gap-1">
        <SelectField
          label={label}
          value={key}
          choices={all.map((c) => ({ value: c.key, name: c.name }))}
          onChange={(k) => {
            const usual = all.find((c) => c.key === k)?.usual();
            onChange({ [k]: before && k === 'price' ? { at_or_below: 100 } : usual });
          }}
        />
        <Fields label={label} value={value} onChange={onChange} before={before} />
      </div>
      {onRemove && (
        <Button weight="quiet" aria-label={`remove ${label}`} onClick={onRemove}>
          ×
        </Button>
      )}
    </div>
  );
}

/** Conditions, one under the other, and a button for another. */
export function ConditionList({
  label,
  list,
  onChange,
  before,
  add,
}: {
  label: string;
  list: Condition[];
  onChange: (list: Condition[]) => void;
  before: boolean;
  add: string;
}) {
  return (
    <>
      {list.map((c, i) => (
        <ConditionFields
          // Conditions have no names of their own; their place is one.
          key={i}
          label={`${label} ${i + 1}`}
          before={before}
          value={c}
          onChange={(next) => {
            onChange(replaced(list, i, next));
          }}
          onRemove={() => {
            onChange(replaced(list, i, undefined));
          }}
        />
      ))}
      <Button
        weight="quiet"
        className="w-fit"
        onClick={() => {
          onChange([...list, before ? { rank: { at_or_above: 25 } } : { days_left: 21 }]);
        }}
      >
        + {add}
      </Button>
    </>
  );
}
