import { Dialog as RadixDialog, Tooltip as RadixTooltip } from 'radix-ui';
import { type ButtonHTMLAttributes, forwardRef, type ReactNode } from 'react';

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & {
  look?: 'plain' | 'main' | 'quiet';
  active?: boolean;
};

const LOOKS = {
  plain: 'bg-raised border text-ink hover:bg-moss-deep',
  main: 'bg-moss text-on-moss font-semibold border border-transparent hover:brightness-110',
  quiet: 'border border-transparent text-dim hover:text-ink hover:bg-raised',
};

export const Button = forwardRef<HTMLButtonElement, ButtonProps>(function Button(
  { look = 'plain', active, className = '', ...rest },
  ref,
) {
  const on = active ? 'border-moss! text-ink!' : '';
  return (
    <button
      ref={ref}
      type="button"
      className={`inline-flex h-7 shrink-0 items-center justify-center gap-1.5 rounded-md px-2.5 text-sm disabled:opacity-45 ${LOOKS[look]} ${on} ${className}`}
      {...rest}
    />
  );
});

export function Hint({ text, keys, children }: { text: string; keys?: string; children: ReactNode }) {
  return (
    <RadixTooltip.Root delayDuration={350}>
      <RadixTooltip.Trigger asChild>{children}</RadixTooltip.Trigger>
      <RadixTooltip.Portal>
        <RadixTooltip.Content
          sideOffset={5}
          className="z-50 max-w-64 rounded-md border bg-raised px-2 py-1 text-xs text-ink shadow-lg"
        >
          {text}
          {keys && <kbd className="ml-2 rounded border px-1 text-dim">{keys}</kbd>}
        </RadixTooltip.Content>
      </RadixTooltip.Portal>
    </RadixTooltip.Root>
  );
}

export function Dialog(props: {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  title: string;
  about: string;
  wide?: boolean;
  children: ReactNode;
}) {
  return (
    <RadixDialog.Root open={props.open} onOpenChange={props.onOpenChange}>
      <RadixDialog.Portal>
        <RadixDialog.Overlay className="fixed inset-0 z-40 bg-black/55" />
        <RadixDialog.Content
          className={`fixed top-1/2 left-1/2 z-50 max-h-[92vh] -translate-x-1/2 -translate-y-1/2 overflow-auto rounded-xl border bg-panel p-5 shadow-2xl ${props.wide ? 'w-[860px]' : 'w-[440px]'} max-w-[94vw]`}
        >
          <RadixDialog.Title className="mb-0.5 font-semibold text-lg">{props.title}</RadixDialog.Title>
          <RadixDialog.Description className="mb-4 text-dim text-sm">{props.about}</RadixDialog.Description>
          {props.children}
        </RadixDialog.Content>
      </RadixDialog.Portal>
    </RadixDialog.Root>
  );
}

export function Field({ label, note, children }: { label: string; note?: string; children: ReactNode }) {
  return (
    // biome-ignore lint/a11y/noLabelWithoutControl: the control is the child
    <label className="block">
      <span className="mb-1 flex justify-between text-dim text-xs">
        <span>{label}</span>
        {note && <span>{note}</span>}
      </span>
      {children}
    </label>
  );
}

export const inputLook = 'h-7 w-full rounded-md border bg-bark px-2 text-sm text-ink outline-offset-0';

export function Mark({ size = 22 }: { size?: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 24 24" fill="none" stroke="var(--moss)" aria-hidden="true">
      <path
        d="M3 18 L5 8 L9.5 12.6 L12 4 L14.5 12.6 L19 8 L21 18 Z"
        strokeWidth="1.8"
        strokeLinejoin="round"
      />
      <path d="M4 21.2h16" strokeWidth="1.8" strokeLinecap="round" />
    </svg>
  );
}
