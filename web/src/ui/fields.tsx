import type { ReactNode } from 'react';

/** What is written in a field of numbers: nothing, a number, or what is none. */
export function readNumber(text: string): number | undefined | null {
  const plain = text.trim().replace('−', '-').replaceAll(',', '');
  if (plain === '') return undefined;
  const n = Number(plain);
  return Number.isFinite(n) ? n : null;
}

/** A number that is written, with its name before and its unit behind; red where it is none. */
export function NumberField({
  label,
  name,
  value,
  onChange,
  unit,
  wide = 'w-16',
  placeholder,
  wrong = false,
}: {
  /** What it is, for those who do not see what stands around it. */
  label: string;
  name?: ReactNode;
  value: string;
  onChange: (text: string) => void;
  unit?: ReactNode;
  wide?: string;
  placeholder?: string;
  /** It is a number, and none that makes sense here. */
  wrong?: boolean;
}) {
  const bad = wrong || readNumber(value) === null;
  return (
    <label className="flex items-center gap-1 whitespace-nowrap text-ink2">
      {name}
      <input
        aria-label={label}
        aria-invalid={bad}
        title={bad ? 'a number such as 12.5' : undefined}
        inputMode="decimal"
        placeholder={placeholder}
        value={value}
        onChange={(e) => {
          onChange(e.target.value);
        }}
        className={`num h-6 ${wide} rounded border bg-raised px-1 font-semibold text-ink placeholder:font-normal placeholder:text-ink2 ${bad ? 'border-loss' : 'border-strong'}`}
      />
      {unit}
    </label>
  );
}

/** One of a few, where buttons would take too much room. */
export function SelectField<T extends string>({
  label,
  value,
  onChange,
  choices,
}: {
  label: string;
  value: T;
  onChange: (value: T) => void;
  choices: { value: T; name: string }[];
}) {
  return (
    <select
      aria-label={label}
      value={value}
      onChange={(e) => {
        onChange(e.target.value as T);
      }}
      className="h-6 max-w-56 rounded border border-strong bg-raised px-1 font-semibold text-ink"
    >
      {choices.map((c) => (
        <option key={c.value} value={c.value}>
          {c.name}
        </option>
      ))}
    </select>
  );
}

/** Something that is so or not. */
export function Tick({
  name,
  on,
  onChange,
}: {
  name: ReactNode;
  on: boolean;
  onChange: (on: boolean) => void;
}) {
  return (
    <label className="flex items-center gap-1.5 whitespace-nowrap">
      <input
        type="checkbox"
        checked={on}
        onChange={(e) => {
          onChange(e.target.checked);
        }}
        className="accent-brass"
      />
      {name}
    </label>
  );
}
