import { type ReactNode, useEffect, useId, useMemo, useRef, useState } from 'react';
import { FACTS, KINDS, type StepKind, WORDS } from '../api/facts';
import { Dialog } from '../ui/controls';
import { PAGES, type Page, type Place, pageOf } from './pages';

interface Passage {
  page: string;
  kind?: StepKind;
  title: string;
  text: string;
}

const PASSAGES: Passage[] = [
  ...PAGES.flatMap((page) => page.text.map((text) => ({ page: page.id, title: page.title, text }))),
  ...KINDS.flatMap((kind) =>
    (WORDS[kind] ?? []).map(([part, text]) => ({
      page: pageOf(kind).id,
      kind,
      title: part ? `${FACTS[kind].title}: ${said(part)}` : FACTS[kind].title,
      text: text ?? '',
    })),
  ),
];

/** A model's name as words. */
function said(name: string): string {
  return name.replace(/([a-z])([A-Z])/g, '$1 $2').toLowerCase();
}

/** Passages that have all of the words, those with one of them in the title first. */
export function passages(typed: string): Passage[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (!words.length) return [];
  const has = (text: string, word: string) => text.toLowerCase().includes(word);
  const found = PASSAGES.filter((p) => words.every((w) => has(p.title, w) || has(p.text, w)));
  const weight = (p: Passage) => words.filter((w) => has(p.title, w)).length;
  return found.sort((a, b) => weight(b) - weight(a));
}

/** Names of values, as documents have them, stand out in a paragraph. */
function Words({ text }: { text: string }): ReactNode {
  return text.split('`').map((part, k) =>
    k % 2 ? (
      <em key={k} className="text-ink not-italic">
        {part.replaceAll('_', ' ')}
      </em>
    ) : (
      part
    ),
  );
}

/** The pages of the help, with what is looked for in all of them, and the shortcuts as their last. */
export function Help({
  open,
  at,
  shortcuts,
  onClose,
}: {
  open: boolean;
  at: Place;
  shortcuts: ReactNode;
  onClose: () => void;
}) {
  return (
    <Dialog
      open={open}
      onOpenChange={(o) => !o && onClose()}
      title="Help"
      about="A page for each stage of work. F1 opens the one about what has the focus."
      wide
    >
      {open && <Pages at={at} shortcuts={shortcuts} />}
    </Dialog>
  );
}

function Pages({ at, shortcuts }: { at: Place; shortcuts: ReactNode }) {
  const [place, setPlace] = useState<Place>(at);
  const [typed, setTyped] = useState('');
  const found = useMemo(() => passages(typed).slice(0, 20), [typed]);
  const box = useRef<HTMLElement>(null);
  const page = PAGES.find((one) => one.id === place.page);
  const title = useId();
  // biome-ignore lint/correctness/useExhaustiveDependencies: another place is shown from its beginning
  useEffect(() => {
    const part = place.kind && box.current?.querySelector(`[data-about="${place.kind}"]`);
    if (part) part.scrollIntoView();
    else box.current?.scrollTo(0, 0);
  }, [place, typed]);
  return (
    <div className="grid h-[68vh] grid-cols-[11rem_minmax(0,1fr)] gap-4">
      <div className="flex min-h-0 flex-col gap-2">
        <input
          aria-label="Find in the help"
          placeholder="Find in the help"
          className="h-8 rounded-md border bg-bark px-2 text-sm"
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
        />
        <nav aria-label="Pages of the help" className="flex min-h-0 flex-col overflow-y-auto text-sm">
          {[...PAGES, { id: 'shortcuts', title: 'Shortcuts' }].map((one) => (
            <button
              key={one.id}
              type="button"
              aria-current={one.id === place.page ? 'page' : undefined}
              className="rounded-md px-2 py-1 text-left hover:bg-raised aria-[current=page]:bg-moss-deep"
              onClick={() => {
                setTyped('');
                setPlace({ page: one.id });
              }}
            >
              {one.title}
            </button>
          ))}
        </nav>
      </div>
      <section
        ref={box}
        aria-labelledby={title}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is scrolled by keyboard too
        tabIndex={0}
        className="min-h-0 overflow-y-auto pr-3 text-sm leading-relaxed"
      >
        <h3 id={title} className="mb-2 font-semibold text-base">
          {typed ? `Found: ${typed}` : (page?.title ?? 'Shortcuts')}
        </h3>
        {typed ? (
          <Found
            found={found}
            go={(to) => {
              setTyped('');
              setPlace(to);
            }}
          />
        ) : page ? (
          <OnePage page={page} find={place.find ?? ''} />
        ) : (
          shortcuts
        )}
      </section>
    </div>
  );
}

function Found({ found, go }: { found: Passage[]; go: (to: Place) => void }) {
  if (!found.length) return <p className="text-dim">Nothing is said of that.</p>;
  return (
    <ul>
      {found.map((one) => (
        <li key={one.title + one.text} className="mb-3">
          <button
            type="button"
            className="font-medium underline"
            onClick={() => go({ page: one.page, ...(one.kind ? { kind: one.kind } : {}) })}
          >
            {one.title}
          </button>
          <p className="text-dim">
            <Words text={one.text} />
          </p>
        </li>
      ))}
    </ul>
  );
}

function OnePage({ page, find }: { page: Page; find: string }) {
  return (
    <>
      {page.picture && (
        <img
          src={`/assets/help/${page.picture}.jpg`}
          alt={page.alt}
          className="mb-3 w-full rounded-lg border"
          loading="lazy"
        />
      )}
      {page.text.map((text) => (
        <p key={text} className="mb-2.5">
          {text}
        </p>
      ))}
      {page.kinds.map((kind) => (
        <section key={kind} data-about={kind} className="mt-4 border-t pt-3">
          <h4 className="mb-1 font-semibold">{FACTS[kind].title}</h4>
          <p className="mb-2 text-dim">{FACTS[kind].about}.</p>
          {(WORDS[kind] ?? []).map(([part, text = '']) => (
            <div
              key={part}
              className={`mb-2 ${find && text.includes(`\`${find}\``) ? 'rounded-md bg-moss-deep/40 p-2' : ''}`}
            >
              {part && <h5 className="font-medium first-letter:uppercase">{said(part)}</h5>}
              {text.split('\n\n').map((paragraph) => (
                <p key={paragraph} className="mb-1 text-dim">
                  <Words text={paragraph} />
                </p>
              ))}
            </div>
          ))}
        </section>
      ))}
    </>
  );
}
