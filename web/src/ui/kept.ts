/** Settings that stay on this machine from one visit to the next. */
import { create } from 'zustand';
import { persist } from 'zustand/middleware';

/** A store that is remembered under a name; `whole` mends what was written by another version. */
export const kept = <T extends object>(name: string, usual: T, whole = (t: T): T => t) =>
  create<T>()(
    persist(() => usual, {
      name,
      merge: (read, now) => whole({ ...now, ...(typeof read === 'object' ? read : {}) }),
    }),
  );
