import type { ReactNode } from 'react';
import { Link } from 'react-router';

/** A stretch of a page that scrolls by itself: the keyboard reaches it, and it says what it is. */
export function Scroll({
  label,
  className = '',
  children,
}: {
  label: string;
  className?: string;
  children: ReactNode;
}) {
  return (
    <div role="region" aria-label={label} tabIndex={0} className={`overflow-auto ${className}`}>
      {children}
    </div>
  );
}

/** A view that is read from top to bottom under its heading. */
export function Page({
  title,
  beside,
  children,
}: {
  title: string;
  beside?: ReactNode;
  children: ReactNode;
}) {
  return (
    <Scroll label={title} className="h-full px-4 pb-6">
      <div className="flex flex-wrap items-center gap-3 pt-3 pb-1">
        <h1 className="font-serif text-[22px] leading-7">{title}</h1>
        {beside}
      </div>
      {children}
    </Scroll>
  );
}

/** The parts of a view, each at an address of its own. */
export function Parts({
  label,
  parts,
  current,
}: {
  label: string;
  parts: { to: string; words: string; part: string | undefined }[];
  current: string | undefined;
}) {
  return (
    <nav aria-label={label} className="flex flex-wrap gap-1">
      {parts.map((p) => (
        <Link
          key={p.to}
          to={p.to}
          aria-current={p.part === current ? 'page' : undefined}
          className="rounded border border-strong bg-raised px-2 leading-[22px] font-semibold hover:border-brass aria-[current=page]:border-brass aria-[current=page]:bg-brass-soft aria-[current=page]:text-brass"
        >
          {p.words}
        </Link>
      ))}
    </nav>
  );
}
