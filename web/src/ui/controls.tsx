import { ToggleGroup, Tooltip } from 'radix-ui';
import type { ButtonHTMLAttributes, ReactNode } from 'react';
import { actOf, COMMANDS, hint, type CommandId } from './commands';

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & {
  weight?: 'plain' | 'strong' | 'quiet';
};
const weights = {
  plain: 'border border-strong bg-raised hover:border-brass',
  strong: 'border border-brass bg-brass text-on-brass hover:opacity-90',
  quiet: 'border border-transparent hover:border-hair',
};
/** A key that is held presses once: what comes after needs a fresh press. */
export function Button({ weight = 'plain', className = '', onKeyDown, ...rest }: ButtonProps) {
  return (
    <button
      type="button"
      {...rest}
      onKeyDown={(e) => {
        if (e.repeat && (e.key === 'Enter' || e.key === ' ')) e.preventDefault();
        onKeyDown?.(e);
      }}
      className={`inline-flex h-6 items-center justify-center gap-1 rounded px-2 font-semibold whitespace-nowrap disabled:cursor-default disabled:opacity-60 aria-disabled:cursor-default aria-disabled:opacity-60 ${weights[weight]} ${className}`}
    />
  );
}

/** A command as a button: it does what its key does, and says which that is. */
export function CommandButton({ of, children, ...rest }: ButtonProps & { of: CommandId }) {
  return (
    <Button {...hint(of)} {...rest} onClick={() => actOf(of)?.()}>
      {children ?? COMMANDS[of].name}
    </Button>
  );
}

type Choice<T extends string> = { value: T; label: ReactNode };
export function Choices<T extends string>({
  label,
  value,
  onChange,
  choices,
  wrap = false,
}: {
  label: string;
  /** In several lines where one is too short. */
  wrap?: boolean;
  value: T;
  onChange: (v: T) => void;
  choices: Choice<T>[];
}) {
  return (
    <ToggleGroup.Root
      type="single"
      value={value}
      onValueChange={(v) => {
        if (v) onChange(v as T);
      }}
      aria-label={label}
      className={`inline-flex w-fit rounded border border-strong bg-raised ${wrap ? 'flex-wrap' : ''}`}
    >
      {choices.map((c) => (
        <ToggleGroup.Item
          key={c.value}
          value={c.value}
          className="h-[22px] px-2 font-semibold whitespace-nowrap not-first:border-l not-first:border-hair data-[state=on]:bg-brass-soft data-[state=on]:text-brass"
        >
          {c.label}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}

export function Tip({ text, children }: { text: ReactNode; children: ReactNode }) {
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          sideOffset={4}
          collisionPadding={8}
          className="z-50 max-w-72 rounded border border-strong bg-raised px-2 py-1 shadow-[var(--shadow)]"
        >
          {text}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}

/** A figure with its name under it. */
export function Figure({
  value,
  name,
  tone = '',
}: {
  value: ReactNode;
  name: ReactNode;
  tone?: string;
}) {
  return (
    <div className="leading-4">
      <div className={`text-[14px] font-semibold ${tone}`}>{value}</div>
      <div className="text-[12px] text-ink2">{name}</div>
    </div>
  );
}

export function Notice({ children }: { children: ReactNode }) {
  return (
    <p role="alert" className="rounded border border-loss bg-raised px-2 py-1 text-loss">
      {children}
    </p>
  );
}
