import { useNavigate } from 'react-router';
import type { Expected } from '../../api/client';
import { longDate, percent } from '../../format';
import { Choices } from '../../ui/controls';
import { DateField } from '../../ui/DateField';
import { NumberField, SelectField } from '../../ui/fields';
import { Term } from '../../ui/terms';
import { badEnds, badSure, isDrawn, turned, useWritten, write } from './asked';

/** What is expected, written: of which underlying, where, by when, how surely. */
export function ExpectFields({
  symbols,
  symbol,
  e,
  at,
}: {
  symbols: string[];
  symbol: string;
  e: Expected | undefined;
  /** The exchange's moment. */
  at: string | undefined;
}) {
  const navigate = useNavigate();
  const written = useWritten();
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5">
      <SelectField
        label="Underlying"
        value={symbol}
        onChange={(s) => {
          void navigate(`/scout/expect/${s}`);
        }}
        choices={[...new Set([symbol, ...symbols])].sort().map((s) => ({ value: s, name: s }))}
      />
      ends
      <NumberField
        label="From"
        name="from"
        value={written.low}
        wide="w-20"
        placeholder="open"
        wrong={badEnds(written)}
        onChange={(text) => {
          write({ low: text });
        }}
      />
      <NumberField
        label="To"
        name="to"
        value={written.high}
        wide="w-20"
        placeholder="open"
        wrong={badEnds(written)}
        onChange={(text) => {
          write({ high: text });
        }}
      />
      <Choices
        label="Counted in"
        value={written.unit}
        onChange={(unit) => {
          if (unit !== written.unit) write(isDrawn(written) && e ? turned(written, e) : { unit });
        }}
        choices={[
          { value: 'prices', label: 'prices' },
          { value: 'deviations', label: 'σ' },
        ]}
      />
      on
      <DateField
        label="Date"
        value={written.by}
        onChange={(iso) => {
          if (iso && at && iso > at.slice(0, 10)) write({ by: iso });
        }}
      />
      {e && (
        <SelectField
          label="A listed date"
          value={e.dates.includes(written.by) ? written.by : ''}
          onChange={(by) => {
            if (by !== '') write({ by });
          }}
          choices={[
            ...(e.dates.includes(written.by) ? [] : [{ value: '', name: 'listed…' }]),
            ...e.dates.map((d) => ({ value: d, name: longDate(d) })),
          ]}
        />
      )}
      <NumberField
        label="Sure, percent"
        name={<Term of="sure">I am sure by</Term>}
        value={written.sure}
        wide="w-14"
        placeholder={e ? percent(e.market, 0) : ''}
        wrong={badSure(written)}
        onChange={(text) => {
          write({ sure: text });
        }}
        unit="%"
      />
      <SelectField
        label="The market’s law"
        value={written.law}
        onChange={(law) => {
          write({ law });
        }}
        choices={[
          { value: 'flat', name: 'lognormal' },
          { value: 'smile', name: 'under the smile' },
        ]}
      />
    </div>
  );
}
