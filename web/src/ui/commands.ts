/** Every command of the program, once: its keys, its name, what it does. Keys, the find box, tooltips and the help read this. */
import { useEffect } from 'react';

type Where = 'everywhere' | 'rounds' | 'chain' | 'a draft, in chain and bench' | 'bench';
export type Command = {
  /** The characters that are typed, so that they hold on every keyboard. */
  keys: string[];
  name: string;
  what: string;
  where: Where;
};
const everywhere = (key: string, name: string, what: string): Command => ({
  keys: key === '' ? [] : [key],
  name,
  what,
  where: 'everywhere',
});
const at = (where: Where) => (key: string, name: string, what: string) => ({
  ...everywhere(key, name, what),
  where,
});
const rounds = at('rounds');
const chain = at('chain');
const draft = at('a draft, in chain and bench');
const bench = at('bench');

export const COMMANDS = {
  find: everywhere('/', 'find', 'a symbol, a view or a command, by typing'),
  help: everywhere('?', 'help', 'keys and words, searched as one'),
  toRounds: everywhere('1', 'Rounds', 'what asks for a decision today'),
  toScout: everywhere('2', 'Scout', 'find a trade: by the market, or by what you expect'),
  toChain: everywhere('3', 'Chain', 'prices, by strike and expiration'),
  toBench: everywhere('4', 'Bench', 'where the draft is judged'),
  toOrders: everywhere('5', 'Orders', 'what is working, filled and cancelled'),
  toBook: everywhere('6', 'Book', 'what is held'),
  toBalance: everywhere('7', 'Balance', 'the whole book under any market; money and margin'),
  toLedger: everywhere('8', 'Ledger', 'every booking'),
  toLessons: everywhere('9', 'Lessons', 'what your closed trades say'),
  toRehearsal: everywhere('0', 'Rehearsal', 'past days by hand, and drills over many cycles'),
  toRules: everywhere('', 'my rules', 'your own limits and habits'),
  toDays: everywhere('', 'daily record', 'a row of figures for each close'),
  theme: everywhere('', 'day or night', 'changes the colours of the page'),
  walk: everywhere('', 'first steps', 'six steps over the real screen'),
  askBefore: rounds('ArrowUp', 'one up', 'the one that asks before'),
  askNext: rounds('ArrowDown', 'one down', 'the one that asks next'),
  askClose: rounds('c', 'close', 'at the middle, all of it'),
  askRework: rounds('r', 'rework', 'change it as a draft'),
  askLetBe: rounds('l', 'let it be', 'until a date, a price or a change'),
  askNoted: rounds('n', 'read', 'what happened is read'),
  up: chain('ArrowUp', 'row above', 'the cursor one row up'),
  down: chain('ArrowDown', 'row below', 'the cursor one row down'),
  left: chain('ArrowLeft', 'price at the left', 'the cursor one price to the left'),
  right: chain('ArrowRight', 'price at the right', 'the cursor one price to the right'),
  buy: chain('b', 'buy', 'the contract under the cursor into the draft'),
  sell: chain('s', 'sell', 'the contract under the cursor into the draft'),
  judge: chain('e', 'to the bench', 'judge the draft'),
  ticket: draft('t', 'ticket', 'read back and send'),
  strikeDown: draft('[', 'one strike down', 'the whole structure'),
  strikeUp: draft(']', 'one strike up', 'the whole structure'),
  nearer: draft('{', 'nearer', 'the whole structure one expiration nearer'),
  later: draft('}', 'later', 'the whole structure one expiration later'),
  narrower: draft('-', 'narrower', 'the outer strikes one inward'),
  wider: draft('=', 'wider', 'the outer strikes one outward'),
  lessSold: draft('<', 'less sold', 'one fewer of what is sold, for each package'),
  moreSold: draft('>', 'more sold', 'one more of what is sold, for each package'),
  fewer: draft(',', 'fewer', 'one package fewer'),
  more: draft('.', 'more', 'one package more'),
  recentre: draft('c', 're-centre', 'the middle of the strikes to the price'),
  reverse: draft('x', 'reverse', 'what is bought is sold, and the other way round'),
  undo: draft('z', 'undo', 'the last change of the draft'),
  redo: draft('Z', 'redo', 'what was undone'),
  outline: bench('o', 'outline', 'profit over the price'),
  map: bench('m', 'time map', 'profit over price and time'),
  greeks: bench('g', 'Greeks', 'over price or time'),
  grid: bench('r', 'grid', 'profits at prices and dates that matter'),
  chance: bench('p', 'chance', 'how likely an end or a price is'),
  compare: bench('v', 'compare', 'drafts beside each other'),
  back: bench('Escape', 'to the chain', 'leave the bench'),
} satisfies Record<string, Command>;
export type CommandId = keyof typeof COMMANDS;
export const commands = Object.entries(COMMANDS) as [CommandId, Command][];

/** What the pointer and the usual keys do beside the commands. */
export const GESTURES: [string, string][] = [
  ['Enter', 'on a price of the chain: add a leg (the ask buys, the bid sells)'],
  ['arrows', 'on a picture: move what is read'],
  ['Shift Enter', 'on an expiration: its rows open under the others (Shift click too)'],
  ['Delete', 'on the tab of a leg: takes it out'],
  ['Esc', 'close the topmost thing'],
];

const SHOWN: Record<string, string> = {
  ArrowUp: '↑',
  ArrowDown: '↓',
  ArrowLeft: '←',
  ArrowRight: '→',
  Escape: 'Esc',
};
/** A command's keys as they are printed. */
export const keysOf = (id: CommandId) => COMMANDS[id].keys.map((k) => SHOWN[k] ?? k).join(' ');
/** What a button of a command says of its key, to those who see it and those who do not. */
export function hint(id: CommandId) {
  const keys = COMMANDS[id].keys[0];
  return {
    'aria-keyshortcuts': keys,
    title: `${COMMANDS[id].what}${keys === undefined ? '' : ` (${keysOf(id)})`}`,
  };
}

/** What a command does here; one that gives false leaves its key to the page. */
export type Acts = Partial<Record<CommandId, () => unknown>>;

/** What can be done now: those of the frame, and above them those of the view. */
const layers: Acts[] = [];
export const actOf = (id: CommandId) => layers.findLast((l) => l[id])?.[id];

/** Where keys are typed or belong to something that is open. */
const TYPING = 'input, textarea, select, [role=menu], [role=listbox], [role=dialog], [data-modal]';

function listen(e: KeyboardEvent) {
  if (e.ctrlKey || e.metaKey || e.altKey || e.defaultPrevented) return;
  const at = e.target instanceof Element ? e.target : document.body;
  if (at.closest(TYPING)) return;
  for (const [id, c] of commands) {
    if (!c.keys.includes(e.key)) continue;
    const act = actOf(id);
    if (act && act() !== false) e.preventDefault();
  }
}

/** Commands that can be given while the caller is on the page. */
export function useCommands(acts: Acts) {
  useEffect(() => {
    if (layers.length === 0) window.addEventListener('keydown', listen);
    layers.push(acts);
    return () => {
      layers.splice(layers.indexOf(acts), 1);
      if (layers.length === 0) window.removeEventListener('keydown', listen);
    };
  }, [acts]);
}
