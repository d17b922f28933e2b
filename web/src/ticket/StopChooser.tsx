import type { Evaluation, PlaceRequest } from '../api/client';
import { Choices } from '../ui/controls';
import { isPrice, signed, type Chosen } from './PriceChooser';

export type Watch = NonNullable<PlaceRequest['trigger']>['side'];
/** What holds a stop: a level, or a distance above the lowest price seen, and which price of the package is watched. */
export type Stop = {
  trailing: boolean;
  level: Chosen;
  distance: string;
  watch: Watch;
  then: 'market' | 'limit';
};
const WATCHED: Record<Watch, string> = { mark: 'the middle', cross: 'the cross', rest: 'the rest' };

export const stopIsWritten = (s: Stop) => isPrice(s.trailing ? s.distance : s.level.amount);
export const triggerOf = (s: Stop): NonNullable<PlaceRequest['trigger']> =>
  s.trailing ? { side: s.watch, trailing: s.distance } : { side: s.watch, at: signed(s.level) };
export const stopWords = (s: Stop, limit: Chosen) =>
  `held until ${WATCHED[s.watch]} stands ${s.trailing ? `${s.distance} above the lowest it has been` : `at ${s.level.amount} ${s.level.side} or worse`}, then at ${s.then === 'market' ? 'the market' : `${limit.amount} ${limit.side} or better`}`;

type Props = { evaluation: Evaluation; value: Stop; onChange: (s: Stop) => void };
const field = 'num h-7 w-24 rounded border border-strong bg-ground px-2 font-semibold';

/** A stop on the whole package. */
export function StopChooser({ evaluation: e, value, onChange }: Props) {
  return (
    <fieldset className="flex flex-col gap-1.5">
      <legend className="mb-1 font-semibold">
        Held until the package stands at, on a tick of {e.tick}
      </legend>
      <Choices
        label="Level of the stop"
        value={value.trailing ? 'trailing' : 'fixed'}
        onChange={(v) => {
          onChange({ ...value, trailing: v === 'trailing' });
        }}
        choices={[
          { value: 'fixed', label: 'a price or worse' },
          { value: 'trailing', label: 'so much above its lowest' },
        ]}
      />
      <div className="flex items-center gap-2">
        {value.trailing ? (
          <input
            aria-label="Distance of the stop"
            inputMode="decimal"
            value={value.distance}
            onChange={(ev) => {
              onChange({ ...value, distance: ev.target.value.trim() });
            }}
            className={field}
          />
        ) : (
          <>
            <input
              aria-label="Price of the stop"
              inputMode="decimal"
              value={value.level.amount}
              onChange={(ev) => {
                onChange({ ...value, level: { ...value.level, amount: ev.target.value.trim() } });
              }}
              className={field}
            />
            <Choices
              label="Debit or credit of the stop"
              value={value.level.side}
              onChange={(side) => {
                onChange({ ...value, level: { ...value.level, side } });
              }}
              choices={[
                { value: 'credit', label: 'credit' },
                { value: 'debit', label: 'debit' },
              ]}
            />
          </>
        )}
      </div>
      <div className="flex items-center gap-2">
        <span>watching</span>
        <Choices
          label="Price watched"
          value={value.watch}
          onChange={(watch) => {
            onChange({ ...value, watch });
          }}
          choices={[
            { value: 'mark', label: 'middle' },
            { value: 'cross', label: 'cross' },
            { value: 'rest', label: 'rest' },
          ]}
        />
        <span className="text-ink2">
          now {(value.watch === 'mark' ? e.middle : e[value.watch]).amount}{' '}
          {(value.watch === 'mark' ? e.middle : e[value.watch]).side}
        </span>
      </div>
      <div className="flex items-center gap-2">
        <span>then at</span>
        <Choices
          label="After the stop"
          value={value.then}
          onChange={(then) => {
            onChange({ ...value, then });
          }}
          choices={[
            { value: 'market', label: 'the market' },
            { value: 'limit', label: 'a limit' },
          ]}
        />
      </div>
    </fieldset>
  );
}
