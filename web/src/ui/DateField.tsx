import { useState } from 'react';
import { longDate, readDate } from '../format';

/** A day, written the way every date is written here: "18 Apr 2031". Gives the ISO date, or nothing while what is written is no day. */
export function DateField({
  label,
  value,
  onChange,
  autoFocus = false,
}: {
  label: string;
  /** ISO, or nothing. */
  value: string;
  onChange: (iso: string) => void;
  autoFocus?: boolean;
}) {
  const [text, setText] = useState(value && longDate(value));
  const read = readDate(text) ?? '';
  // Set from outside: what is written is that day. What is still being written stays, whatever its owner makes of it.
  const [seen, see] = useState(value);
  if (seen !== value) {
    see(value);
    if (value !== read) setText(value && longDate(value));
  }
  const wrong = text.trim() !== '' && read === '';
  return (
    <input
      aria-label={label}
      aria-invalid={wrong}
      title={wrong ? 'a day such as 18 Apr 2031' : undefined}
      placeholder="18 Apr 2031"
      autoFocus={autoFocus}
      value={text}
      onChange={(e) => {
        setText(e.target.value);
        onChange(readDate(e.target.value) ?? '');
      }}
      onBlur={() => {
        if (read) setText(longDate(read));
      }}
      className={`h-6 w-[100px] rounded border bg-raised px-2 font-semibold tabular-nums placeholder:font-normal placeholder:text-ink2 ${wrong ? 'border-loss' : 'border-strong'}`}
    />
  );
}
