/** Drafts as text: links, the clipboard, the shelf. */
import { BASE } from '../api/base';
import { api, must, type Draft } from '../api/client';

const toText = (bytes: Uint8Array) =>
  btoa(String.fromCharCode(...bytes))
    .replaceAll('+', '-')
    .replaceAll('/', '_')
    .replaceAll('=', '');

/** An address that opens the draft exactly as it is. */
export function linkOf(draft: Draft): string {
  return `${location.origin}${BASE}/chain/${draft.symbol}?draft=${toText(new TextEncoder().encode(JSON.stringify(draft)))}`;
}
/** The text of a link's draft. */
export function textOfLink(value: string): string {
  const raw = atob(value.replaceAll('-', '+').replaceAll('_', '/'));
  return new TextDecoder().decode(Uint8Array.from(raw, (c) => c.charCodeAt(0)));
}
/** Reads a draft from JSON or a table of legs; refused with the program's words. */
export const readDraft = async (text: string) =>
  must(await api.POST('/api/drafts/read', { body: { text } }));
/** The legs as a table of contract, quantity and price. */
export const csvOf = async (draft: Draft) =>
  must(await api.POST('/api/drafts/csv', { body: draft, parseAs: 'text' }));
export const setAside = async (name: string, draft: Draft) => {
  must(await api.PUT('/api/shelf/{name}', { params: { path: { name } }, body: draft }));
};
export const takeOff = async (name: string) => {
  must(await api.DELETE('/api/shelf/{name}', { params: { path: { name } } }));
};
