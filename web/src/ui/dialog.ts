/** What every dialog looks like: the dimmed page, and the box above it (its width is its own). */
export const overlay = 'fixed inset-0 z-40 bg-black/30';
export const box =
  'fixed top-24 left-1/2 z-50 -translate-x-1/2 rounded border border-strong bg-raised p-3 shadow-[var(--shadow)]';
