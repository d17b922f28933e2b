/** What every dialog looks like: the dimmed page, and the box above it (its width is its own). */
export const overlay = 'fixed inset-0 z-40 bg-black/30';
export const box =
  'fixed top-24 left-1/2 z-50 -translate-x-1/2 rounded border border-strong bg-raised p-3 shadow-[var(--shadow)]';

/** What had the focus before a dialog or a menu took it. */
let before: HTMLElement | null = null;
const within = (e: FocusEvent) =>
  e.target instanceof Element && e.target.closest('[role=dialog], [role=menu]') !== null;
window.addEventListener('focusin', (e) => {
  if (!within(e) && e.target instanceof HTMLElement) before = e.target;
});
window.addEventListener('focusout', (e) => {
  if (!within(e) && e.relatedTarget === null) before = null;
});
/** A dialog that closes gives the focus back to where it was. */
export function giveBack(e: Event) {
  e.preventDefault();
  if (before?.isConnected) before.focus();
}
