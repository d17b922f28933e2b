import { useEffect, useState } from 'react';
import { useSearchParams } from 'react-router';
import { Button, Notice } from '../ui/controls';
import { SLOTS, choose, put, useDrafts } from './store';
import { readDraft, textOfLink } from './text';

/** Opens the draft of a link once: in the tray, or the one that is there already; says what has expired since. */
export function LinkedDraft() {
  const [params, setParams] = useSearchParams();
  const loaded = useDrafts((s) => s.loaded);
  const [said, setSaid] = useState<string>();
  const value = params.get('draft');
  useEffect(() => {
    if (!loaded || value === null) return;
    const open = async () => {
      const { draft, expired } = await readDraft(textOfLink(value));
      const { drafts } = useDrafts.getState();
      const there = SLOTS.find(
        (s) =>
          JSON.stringify(drafts[s]?.legs) === JSON.stringify(draft.legs) &&
          drafts[s]?.symbol === draft.symbol,
      );
      if (there) choose(there);
      else if (!put(draft))
        throw new Error(
          'All four places of the tray are taken; throw one away and open the link again.',
        );
      if (expired.length > 0) setSaid(`Expired since this link was made: ${expired.join('; ')}.`);
    };
    open()
      .catch((e: unknown) => {
        setSaid(`The link opens no draft: ${e instanceof Error ? e.message : String(e)}`);
      })
      .finally(() => {
        setParams({}, { replace: true });
      });
  }, [loaded, value, setParams]);
  return (
    said && (
      <div className="flex items-center gap-2 px-4 pt-1">
        <Notice>{said}</Notice>
        <Button
          weight="quiet"
          onClick={() => {
            setSaid(undefined);
          }}
        >
          close
        </Button>
      </div>
    )
  );
}
