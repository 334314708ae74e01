import { X } from 'lucide-react';
import { create } from 'zustand';

interface Toast {
  id: number;
  text: string;
  kind: 'note' | 'wrong';
  action?: { label: string; run: () => void };
}

let next = 1;
const useToasts = create<{ list: Toast[] }>(() => ({ list: [] }));

function dismiss(id: number) {
  useToasts.setState((s) => ({ list: s.list.filter((t) => t.id !== id) }));
}

/** Say something in the corner. Errors stay until they are put away; notes go after a while. */
export function toast(text: string, kind: Toast['kind'] = 'note', action?: Toast['action']) {
  const id = next++;
  useToasts.setState((s) => ({
    list: [...s.list.filter((t) => t.text !== text).slice(-3), { id, text, kind, action }],
  }));
  setTimeout(() => dismiss(id), kind === 'wrong' ? 15000 : 9000);
}

export function Toasts() {
  const list = useToasts((s) => s.list);
  return (
    <div aria-live="polite" className="fixed bottom-4 left-4 z-50 flex w-90 flex-col gap-2">
      {list.map((t) => (
        <div
          key={t.id}
          role={t.kind === 'wrong' ? 'alert' : 'status'}
          className={`flex items-start gap-3 rounded-lg border bg-raised px-3 py-2 text-sm shadow-xl ${t.kind === 'wrong' ? 'border-warn' : ''}`}
        >
          <span className="min-w-0 flex-1">
            {t.kind === 'wrong' && <b className="mr-1 text-warn">Not accepted.</b>}
            {t.text}
          </span>
          {t.action && (
            <button
              type="button"
              className="font-semibold text-moss underline"
              onClick={() => {
                t.action?.run();
                dismiss(t.id);
              }}
            >
              {t.action.label}
            </button>
          )}
          <button
            type="button"
            aria-label="Put away"
            onClick={() => dismiss(t.id)}
            className="text-dim hover:text-ink"
          >
            <X size={14} />
          </button>
        </div>
      ))}
    </div>
  );
}
