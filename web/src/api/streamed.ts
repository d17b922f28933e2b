/** Long answers that come piece by piece as events; who stops listening stops the work. */
import { BASE } from './base';
import { must } from './client';

/** The pieces of an event stream that are whole, and what is left of the last. */
export function pieces(text: string): [unknown[], string] {
  const all = text.split('\n\n');
  const rest = all.pop() ?? '';
  const lines = all.flatMap((event) => {
    const data = event
      .split('\n')
      .filter((l) => l.startsWith('data:'))
      .map((l) => l.slice(5).trimStart())
      .join('\n');
    return data === '' ? [] : [JSON.parse(data) as unknown];
  });
  return [lines, rest];
}

/** Asks, and tells each piece as it comes, to the end. */
export async function listen(
  path: string,
  body: unknown,
  signal: AbortSignal,
  tell: (line: unknown) => void,
) {
  const answer = await fetch(`${BASE}${path}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
    signal,
  });
  if (!answer.ok) must({ error: await answer.json() });
  const reader = answer.body?.pipeThrough(new TextDecoderStream()).getReader();
  let text = '';
  for (let got = await reader?.read(); got && !got.done; got = await reader?.read()) {
    const [lines, rest] = pieces(text + got.value);
    text = rest;
    lines.forEach(tell);
  }
}
