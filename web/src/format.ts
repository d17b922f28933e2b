/** Model numbers and dates as they are shown: a real minus sign, thin grouping, missing as a gap. Money is told by its own module. */
import { group, MINUS } from './money';

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
export const count = (n: number | null | undefined) => (n == null ? '' : group(String(n)));

const NAMES = [
  'January',
  'February',
  'March',
  'April',
  'May',
  'June',
  'July',
  'August',
  'September',
  'October',
  'November',
  'December',
];
const MONTHS = NAMES.map((n) => n.slice(0, 3));
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
/** "18 Apr 2031" of an ISO date. */
export const longDate = (date: string) => `${dayMonth(date)} ${date.slice(0, 4)}`;
/** The ISO date of "18 Apr 2031" (the month by three letters or more) or "2031-04-18"; undefined when it is no day of the calendar. */
export function readDate(text: string): string | undefined {
  const iso = /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(text.trim());
  const said = /^(\d{1,2})\s*([a-z]{3,9})\.?\s*(\d{4})$/i.exec(text.trim());
  const [y, m, d] = iso
    ? [Number(iso[1]), Number(iso[2]), Number(iso[3])]
    : said
      ? [Number(said[3]), monthOf(said[2] ?? ''), Number(said[1])]
      : [0, 0, 0];
  const day = new Date(Date.UTC(y, m - 1, d));
  const real = y >= 1000 && day.getUTCMonth() === m - 1 && day.getUTCDate() === d;
  return real ? day.toISOString().slice(0, 10) : undefined;
}
const monthOf = (text: string) =>
  NAMES.findIndex((n) => n.toLowerCase().startsWith(text.toLowerCase())) + 1;

/** An exchange moment so many minutes later, in its own zone. */
export function later(moment: string, minutes: number): string {
  const zone = /[+-]\d\d:\d\d$/.exec(moment)?.[0] ?? 'Z';
  const local = new Date(`${moment.slice(0, 23).replace(/[+-]\d\d:\d\d$/, '')}Z`);
  local.setTime(local.getTime() + minutes * 60_000);
  return local.toISOString().replace('Z', zone);
}
