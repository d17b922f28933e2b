/** Which run this page is of: the account, or one of those under `/runs/NAME`, each answered from its own desk. */
const found = /^\/runs\/([a-z0-9-]+)(?=\/|$)/.exec(
  typeof location === 'undefined' ? '' : location.pathname,
);

/** Its name; undefined of the account. */
export const RUN = found?.[1] === 'account' ? undefined : found?.[1];
/** What stands before every address of it. */
export const BASE = found?.[0] ?? '';
/** Name of a file that is saved from here: what a rehearsal made says so. */
export const fileOf = (name: string) => (RUN === undefined ? name : `${RUN}-${name}`);
