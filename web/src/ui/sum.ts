/** Sums of exact decimal texts, without leaving whole numbers. */
const DECIMALS = 6;

/** "−12.5" in millionths. */
function millionths(text: string): bigint {
  const negative = text.startsWith('-');
  const [whole = '0', fraction = ''] = text.replace('-', '').split('.');
  const size = BigInt(whole + fraction.slice(0, DECIMALS).padEnd(DECIMALS, '0'));
  return negative ? -size : size;
}

/** The sum as decimal text with two decimals, or more where they are needed. */
export function sum(texts: string[]): string {
  const total = texts.reduce((all, t) => all + millionths(t), 0n);
  const size = String(total < 0n ? -total : total).padStart(DECIMALS + 1, '0');
  const fraction = size.slice(-DECIMALS).replace(/0{1,4}$/, '');
  return `${total < 0n ? '-' : ''}${size.slice(0, -DECIMALS)}.${fraction}`;
}
