import { useState } from 'react';

/** What was shown before the last change: the newest value of the key before this one. `after` begins anew. */
export function useGhost<T>(value: T | undefined, key: string, after: string): T | undefined {
  const [kept, setKept] = useState<{ after: string; key: string; value?: T; ghost?: T }>({
    after,
    key,
    value,
  });
  if (kept.after !== after) setKept({ after, key, value });
  else if (kept.key !== key) setKept({ after, key, value, ghost: kept.value });
  else if (value !== undefined && value !== kept.value) setKept({ ...kept, value });
  return kept.after === after && kept.key === key ? kept.ghost : kept.value;
}
