/** The parts of an OSI symbol the page needs to place a leg: no prices are computed here. */
export type Parts = { root: string; date: string; kind: 'C' | 'P'; strike: number };

export function parts(contract: string): Parts {
  const tail = contract.slice(6);
  return {
    root: contract.slice(0, 6).trimEnd(),
    date: `20${tail.slice(0, 2)}-${tail.slice(2, 4)}-${tail.slice(4, 6)}`,
    kind: tail[6] === 'C' ? 'C' : 'P',
    strike: Number(tail.slice(7)) / 1000,
  };
}
/** Whether a leg is in an option; otherwise it is in the underlying, by symbol. */
export const isOption = (contract: string) => contract.length === 21;
/** Key of the expiration a contract belongs to. */
export const keyOf = (contract: string) => {
  const p = parts(contract);
  return `${p.root}:${p.date}`;
};
export function withStrike(contract: string, strike: number): string {
  return contract.slice(0, 13) + String(Math.round(strike * 1000)).padStart(8, '0');
}
/** The put of a call's strike and expiration, and the other way round. */
export function otherKind(contract: string): string {
  return contract.slice(0, 12) + (contract[12] === 'C' ? 'P' : 'C') + contract.slice(13);
}
export function withKey(contract: string, key: string): string {
  const [root = '', date = ''] = key.split(':');
  return (
    root.padEnd(6) + date.slice(2, 4) + date.slice(5, 7) + date.slice(8, 10) + contract.slice(12)
  );
}
