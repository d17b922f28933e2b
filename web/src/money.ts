/** Money is exact decimal text from the program to the page: it is shown, added and turned without becoming a binary fraction. */
export const MINUS = '−';

export function group(whole: string): string {
  return whole.replace(/\B(?=(\d{3})+(?!\d))/g, ',');
}

/** Exact decimal text with grouping, as it was said. */
export function money(text: string | null | undefined, plus = false): string {
  if (text == null) return '';
  const negative = text.startsWith('-');
  const sign = negative ? MINUS : plus && /[1-9]/.test(text) ? '+' : '';
  const size = negative ? text.slice(1) : text;
  // Eighths and 64ths stay as their market writes them.
  if (size.includes('-')) return sign + size;
  const [whole = '0', fraction] = size.split('.');
  return sign + group(whole) + (fraction === undefined ? '' : `.${fraction}`);
}

const DECIMALS = 6;
const DECIMAL = /^-?\d+(\.\d+)?$/;

/** "-12.5" in millionths. */
function millionths(text: string): bigint {
  const negative = text.startsWith('-');
  const [whole = '0', fraction = ''] = text.replace('-', '').split('.');
  const size = BigInt(whole + fraction.slice(0, DECIMALS).padEnd(DECIMALS, '0'));
  return negative ? -size : size;
}

/** Millionths as decimal text with two decimals, or more where they are needed. */
function textOf(total: bigint): string {
  const size = String(total < 0n ? -total : total).padStart(DECIMALS + 1, '0');
  const fraction = size.slice(-DECIMALS).replace(/0{1,4}$/, '');
  return `${total < 0n ? '-' : ''}${size.slice(0, -DECIMALS)}.${fraction}`;
}

export const sum = (texts: string[]): string =>
  textOf(texts.reduce((all, t) => all + millionths(t), 0n));
/** The same amount on the other side. */
export const negated = (text: string): string => textOf(-millionths(text));

/** An amount to the cent, halves away from nothing, where more is known than is worth showing (a half of a 64th, say). */
export function cents(text: string | null | undefined, plus = false): string {
  if (text == null) return '';
  if (!DECIMAL.test(text)) return money(text, plus);
  const exact = millionths(text);
  const size = ((exact < 0n ? -exact : exact) + 5_000n) / 10_000n;
  return money(textOf((exact < 0n ? -size : size) * 10_000n), plus);
}

export const isNegative = (text: string | null | undefined) =>
  text?.startsWith('-') === true && /[1-9]/.test(text);
export const tone = (text: string | null | undefined) =>
  text == null || !/[1-9]/.test(text) ? '' : isNegative(text) ? 'text-loss' : 'text-gain';
