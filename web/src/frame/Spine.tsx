import { NavLink } from 'react-router';
import { COMMANDS, hint, type CommandId } from '../ui/commands';

export const VIEWS: { path: string; to: CommandId }[] = [
  { path: '/rounds', to: 'toRounds' },
  { path: '/scout', to: 'toScout' },
  { path: '/chain', to: 'toChain' },
  { path: '/bench', to: 'toBench' },
  { path: '/orders', to: 'toOrders' },
  { path: '/book', to: 'toBook' },
  { path: '/balance', to: 'toBalance' },
  { path: '/ledger', to: 'toLedger' },
  { path: '/lessons', to: 'toLessons' },
  { path: '/rehearsal', to: 'toRehearsal' },
];

export function Spine() {
  return (
    <nav
      aria-label="Views"
      data-walk="views"
      className="row-span-3 flex flex-col border-r border-hair bg-warm max-md:order-last max-md:row-span-1 max-md:flex-row max-md:overflow-x-auto max-md:border-t max-md:border-r-0"
    >
      <svg
        aria-hidden
        viewBox="0 0 24 24"
        className="mx-auto my-2 size-8 max-md:hidden fill-none stroke-brass stroke-[1.6]"
        strokeLinecap="round"
        strokeLinejoin="round"
      >
        <path d="M12 3v2M6 17c1.2-1.4 1.6-3 1.6-6a4.4 4.4 0 0 1 8.8 0c0 3 .4 4.6 1.6 6zM4.5 17h15M10.6 20a1.6 1.6 0 0 0 2.8 0" />
      </svg>
      {VIEWS.map((v) => (
        <NavLink
          key={v.path}
          to={v.path}
          {...hint(v.to)}
          className={({ isActive }) =>
            `border-l-3 py-2 pl-0.5 max-md:grow max-md:border-t-3 max-md:border-l-0 max-md:px-1 max-md:text-center ${isActive ? 'border-brass bg-raised font-semibold' : 'border-transparent text-ink2 hover:text-ink'}`
          }
        >
          {COMMANDS[v.to].name}
        </NavLink>
      ))}
    </nav>
  );
}
