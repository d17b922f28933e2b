import { Choices } from '../../ui/controls';
import { readAs, TEMPLATES, usePackages, type Template } from './packages';

const field = 'h-6 rounded border border-strong bg-raised px-1 font-semibold';

/** Whether the rows are contracts or packages, which packages, and how wide. */
export function PackageChooser({ widths, width }: { widths: string[]; width: string }) {
  const reading = usePackages();
  return (
    <>
      <Choices label="Rows as" value={reading.on ? 'packages' : 'contracts'} onChange={(v) => { readAs({ on: v === 'packages' }); }} choices={[{ value: 'contracts', label: 'contracts' }, { value: 'packages', label: 'packages' }]} />
      {reading.on && (
        <select aria-label="Structure" value={reading.template} onChange={(e) => { readAs({ template: e.target.value as Template, width: '' }); }} className={field}>
          {TEMPLATES.map((t) => <option key={t.key} value={t.key}>{t.name}</option>)}
        </select>
      )}
      {reading.on && widths.length > 0 && (
        <label className="flex items-center gap-1 text-ink2">width
          <select value={width} onChange={(e) => { readAs({ width: e.target.value }); }} className={`${field} text-ink`}>
            {[...new Set([...widths, width])].map((w) => <option key={w} value={w}>{w}</option>)}
          </select>
        </label>
      )}
    </>
  );
}
