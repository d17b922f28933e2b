import { useState } from 'react';
import { readNum, writeNum, type Num } from './drill';

/** A number, or several with commas between: then all are played. Empty is nothing, where that may be. */
export function NumField({
  label,
  value,
  onChange,
  wide = 'w-16',
  empty = false,
}: {
  label: string;
  value: Num | undefined;
  onChange: (value: Num | undefined) => void;
  wide?: string;
  empty?: boolean;
}) {
  const [text, setText] = useState(writeNum(value));
  const read = readNum(text);
  const [seen, see] = useState(writeNum(value));
  if (seen !== writeNum(value)) {
    see(writeNum(value));
    if (writeNum(read) !== writeNum(value)) setText(writeNum(value));
  }
  const bad = read === undefined && !(empty && text.trim() === '');
  return (
    <input
      aria-label={label}
      aria-invalid={bad}
      title={bad ? 'a number; several with commas between are all played' : undefined}
      inputMode="decimal"
      value={text}
      onChange={(e) => {
        setText(e.target.value);
        const next = readNum(e.target.value);
        if (next !== undefined || (empty && e.target.value.trim() === '')) onChange(next);
      }}
      className={`num h-6 ${wide} rounded border bg-raised px-1 font-semibold text-ink ${bad ? 'border-loss' : 'border-strong'}`}
    />
  );
}
