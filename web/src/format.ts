/** Numbers as they are shown: a real minus sign, thin grouping, missing as a gap. */
const MINUS = '−';

function group(whole: string): string {
  return whole.replace(/\B(?=(\d{3})+(?!\d))/g, ',');
}

/** Exact decimal text with grouping; `cents` keeps two decimals. */
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

/** An amount to the cent, where more is known than is worth showing (a half of a 64th, say). */
export const cents = (text: string | null | undefined, plus = false) =>
  text == null ? '' : fixed(Number(text), 2, plus);

/** A model number with fixed decimals. */
export function fixed(value: number | null | undefined, decimals: number, plus = false): string {
  if (value == null || !Number.isFinite(value)) return '';
  const text = Math.abs(value).toFixed(decimals);
  const zero = !/[1-9]/.test(text);
  const [whole = '0', fraction] = text.split('.');
  const sign = zero ? '' : value < 0 ? MINUS : plus ? '+' : '';
  return sign + group(whole) + (fraction === undefined ? '' : `.${fraction}`);
}

export const percent = (fraction: number | null | undefined, decimals = 1) =>
  fraction == null ? '' : fixed(fraction * 100, decimals);
export const count = (n: number) => group(String(n));
export const isNegative = (text: string | null | undefined) =>
  text?.startsWith('-') === true && /[1-9]/.test(text);
export const tone = (text: string | null | undefined) =>
  text == null || !/[1-9]/.test(text) ? '' : isNegative(text) ? 'text-loss' : 'text-gain';

const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
const DAYS = ['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat'];
/** "Tue 11 Mar 2031 10:42:07" of an exchange moment, without leaving its own zone. */
export function when(moment: string, seconds = false): string {
  const [date = '', rest = ''] = moment.split('T');
  const [y = 0, m = 1, d = 1] = date.split('-').map(Number);
  const day = DAYS[new Date(Date.UTC(y, m - 1, d)).getUTCDay()] ?? '';
  return `${day} ${d} ${MONTHS[m - 1] ?? ''} ${y} ${rest.slice(0, seconds ? 8 : 5)}`;
}
/** "18 Apr" of an ISO date. */
export const dayMonth = (date: string) => {
  const [, m = 1, d = 1] = date.split('-').map(Number);
  return `${d} ${MONTHS[m - 1] ?? ''}`;
};
/** "18 Apr 2031 10:42" of an exchange moment. */
export const longWhen = (moment: string) => {
  const [date = '', rest = ''] = moment.split('T');
  return `${dayMonth(date)} ${date.slice(0, 4)} ${rest.slice(0, 5)}`;
};
export const shortWhen = (moment: string) => {
  const [date = '', rest = ''] = moment.split('T');
  return `${dayMonth(date)} ${rest.slice(0, 5)}`;
};
