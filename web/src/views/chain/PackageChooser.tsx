import { readAs, TEMPLATES, usePackages, type Template } from './packages';

const field = 'h-6 rounded border border-strong bg-raised px-1 font-semibold';

/** Which packages the rows are, and how wide. */
export function PackageChooser({ widths, width }: { widths: string[]; width: string }) {
  const { template } = usePackages();
  return (
    <>
      <select
        aria-label="Structure"
        value={template}
        onChange={(e) => {
          readAs({ template: e.target.value as Template, width: '' });
        }}
        className={field}
      >
        {TEMPLATES.map((t) => (
          <option key={t.key} value={t.key}>
            {t.name}
          </option>
        ))}
      </select>
      {widths.length > 0 && (
        <label className="flex items-center gap-1 text-ink2">
          width
          <select
            value={width}
            onChange={(e) => {
              readAs({ width: e.target.value });
            }}
            className={`${field} text-ink`}
          >
            {[...new Set([...widths, width])].map((w) => (
              <option key={w} value={w}>
                {w}
              </option>
            ))}
          </select>
        </label>
      )}
    </>
  );
}
