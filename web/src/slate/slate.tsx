import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Clapperboard, Copy, FileDown, Plus, Trash2 } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { Link, useLocation } from 'wouter';
import { ApiError, api, ok, type Schemas } from '../api/client';
import { renew } from '../api/renew';
import { FIRST } from '../help/guide';
import { type Format, FormatFields } from '../shot/settings';
import { ordersFor } from '../takes/deliver';
import { Button, Dialog, Field, Hint, inputLook, Mark } from '../ui/controls';
import { toggleTheme } from '../ui/theme';
import { toast } from '../ui/toasts';
import { Storage } from './storage';

type Production = Schemas['ProductionOut'];
type Card = Schemas['ShotCard'];

function complain(error: unknown) {
  toast(error instanceof ApiError ? error.problem.detail : String(error), 'wrong');
}

/** The home page: productions and their shots. */
export function Slate({ production }: { production?: string }) {
  const [, go] = useLocation();
  const queries = useQueryClient();
  const productions = useQuery({ queryKey: ['productions'], queryFn: () => ok(api.GET('/api/productions')) });
  const chosen = productions.data?.find((p) => p.id === production) ?? productions.data?.[0];
  const shots = useQuery({
    queryKey: ['shots', chosen?.id],
    enabled: chosen !== undefined,
    queryFn: () =>
      ok(
        api.GET('/api/productions/{production}/shots', {
          params: { path: { production: chosen?.id ?? '' } },
        }),
      ),
    // Posters and takes come along by themselves.
    refetchInterval: (q) =>
      q.state.data?.some((s) => s.poster < s.revision || /frames/.test(s.take)) ? 1500 : 8000,
  });
  const [making, setMaking] = useState(false);
  const [wanted, setWanted] = useState('');
  const [order, setOrder] = useState<Order>('own');
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const listed = useMemo(() => inOrder(shots.data ?? [], wanted, order), [shots.data, wanted, order]);
  const chosenShots = listed.filter((s) => picked.has(s.id));
  const [storing, setStoring] = useState(false);
  const [naming, setNaming] = useState(false);
  const file = useRef<HTMLInputElement>(null);
  const refresh = () => renew(queries, ['shots'], ['productions']);
  useEffect(() => {
    document.title = 'Slate, Moss Crown';
    const listen = (e: KeyboardEvent) => {
      if (
        e.key.toLowerCase() !== 'n' ||
        e.ctrlKey ||
        e.metaKey ||
        (e.target as HTMLElement).closest('input, textarea, select, [role="dialog"]')
      )
        return;
      e.preventDefault();
      setMaking(true);
    };
    window.addEventListener('keydown', listen);
    return () => window.removeEventListener('keydown', listen);
  }, []);

  async function bringIn(picked: File) {
    if (!chosen) return;
    try {
      const id = await ok(
        api.POST('/api/productions/{production}/import', {
          params: { path: { production: chosen.id } },
          body: picked as never,
          bodySerializer: (body: unknown) => body as Blob,
          headers: { 'content-type': 'application/json' },
        }),
      );
      await refresh();
      go(`/shots/${id}`);
    } catch (error) {
      const detail = error instanceof ApiError ? error.problem.detail : String(error);
      toast(`${picked.name}: ${detail}`, 'wrong');
    }
  }

  /** Put a shot before another, or at the end: seen at once, and as it was when it could not be kept. */
  async function reorder(moved: string, before: string | null) {
    if (!chosen || !shots.data) return;
    const ids = put(
      shots.data.map((s) => s.id),
      moved,
      before,
    );
    queries.setQueryData(['shots', chosen.id], (cards: Card[] = []) =>
      [...cards].sort((a, b) => ids.indexOf(a.id) - ids.indexOf(b.id)),
    );
    try {
      await ok(
        api.PUT('/api/productions/{production}/order', {
          params: { path: { production: chosen.id } },
          body: { shots: ids },
        }),
      );
    } catch (error) {
      complain(error);
    }
    await refresh();
  }

  async function renameProduction(name: string) {
    if (!chosen) return;
    try {
      await ok(
        api.PATCH('/api/productions/{production}', {
          params: { path: { production: chosen.id } },
          body: { name },
        }),
      );
      await refresh();
    } catch (error) {
      complain(error);
    }
  }

  async function newProduction() {
    try {
      const id = await ok(api.POST('/api/productions', { body: { name: 'New production' } }));
      await refresh();
      go(`/productions/${id}`);
    } catch (error) {
      complain(error);
    }
  }

  return (
    <div className="flex h-full min-w-[900px] flex-col">
      <header className="flex h-11 shrink-0 items-center gap-3 border-b px-3.5">
        <Mark />
        <b>Moss Crown</b>
        <span className="flex-1" />
        <Button look="quiet" onClick={toggleTheme}>
          light or dark
        </Button>
      </header>
      <div className="grid min-h-0 flex-1 grid-cols-[248px_1fr]">
        <nav aria-label="Productions" className="overflow-y-auto border-r bg-panel p-3.5">
          <h2 className="mx-2.5 mb-2 text-dim text-xs">Productions</h2>
          {productions.data?.map((p) => (
            <Link
              key={p.id}
              href={`/productions/${p.id}`}
              aria-current={p.id === chosen?.id ? 'page' : undefined}
              className={`mb-0.5 flex justify-between rounded-lg px-2.5 py-2 ${p.id === chosen?.id ? 'bg-moss-deep' : 'hover:bg-raised'}`}
            >
              <span className="truncate">{p.name}</span>
              <span className={p.id === chosen?.id ? 'text-ink' : 'text-dim'}>{p.shots}</span>
            </Link>
          ))}
          <button
            type="button"
            onClick={() => void newProduction()}
            className="flex w-full items-center gap-1.5 rounded-lg px-2.5 py-2 text-dim hover:bg-raised hover:text-ink"
          >
            <Plus size={14} /> new production
          </button>
        </nav>
        <main className="overflow-y-auto px-6 py-5">
          <div className="mb-4 flex items-end gap-3.5">
            <h1 className="font-semibold text-2xl tracking-tight">
              {naming && chosen ? (
                <input
                  autoFocus
                  aria-label="Name of the production"
                  defaultValue={chosen.name}
                  maxLength={200}
                  className="rounded border bg-bark px-1"
                  onBlur={(e) => {
                    setNaming(false);
                    const name = e.target.value.trim();
                    if (name && name !== chosen.name) void renameProduction(name);
                  }}
                  onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
                />
              ) : (
                <Hint text="Rename this production">
                  <button type="button" onClick={() => setNaming(chosen !== undefined)}>
                    {chosen?.name ?? 'Slate'}
                  </button>
                </Hint>
              )}
            </h1>
            {chosen && (
              <span className="pb-0.5 text-dim">
                {chosen.defaults.width} × {chosen.defaults.height},{' '}
                {Number(
                  ((chosen.defaults.fps?.numerator ?? 25) / (chosen.defaults.fps?.denominator ?? 1)).toFixed(
                    3,
                  ),
                )}{' '}
                fps for new shots
              </span>
            )}
            <span className="flex-1" />
            <input
              ref={file}
              type="file"
              accept=".json,application/json"
              className="hidden"
              aria-label="Shot file"
              data-testid="shot-file"
              onChange={(e) => {
                const f = e.target.files?.[0];
                if (f) void bringIn(f);
                e.target.value = '';
              }}
            />
            <Button look="quiet" onClick={() => setStoring(true)}>
              Storage
            </Button>
            <Button onClick={() => file.current?.click()}>Bring in a shot file</Button>
            <Button look="main" onClick={() => setMaking(true)}>
              New shot
            </Button>
          </div>
          {(productions.isError || shots.isError) && (
            <p role="alert" className="mb-4 rounded-lg border border-warn p-3">
              The slate cannot be read: {((productions.error ?? shots.error) as Error).message}{' '}
              <button type="button" className="text-moss underline" onClick={() => void refresh()}>
                Try again
              </button>
            </p>
          )}
          {(shots.data?.length ?? 0) > 1 && (
            <div
              role="toolbar"
              aria-label="Shots"
              className="mb-3 flex h-7 flex-wrap items-center gap-3 text-sm"
            >
              <input
                type="search"
                aria-label="Find a shot"
                placeholder="Find by name or letters"
                className={`${inputLook} max-w-56`}
                value={wanted}
                onChange={(e) => setWanted(e.target.value)}
              />
              <label className="flex items-center gap-1.5 text-dim">
                sorted by
                <select
                  aria-label="Sorted by"
                  className="h-7 rounded-md border bg-bark px-1.5 text-ink"
                  value={order}
                  onChange={(e) => setOrder(e.target.value as Order)}
                >
                  {Object.entries(ORDERS).map(([value, name]) => (
                    <option key={value} value={value}>
                      {name}
                    </option>
                  ))}
                </select>
              </label>
              <span className="text-dim" role="status">
                {listed.length} {listed.length === 1 ? 'shot' : 'shots'}
                {chosenShots.length > 0 && `, ${chosenShots.length} chosen`}
              </span>
              {chosenShots.length > 0 && (
                <Several
                  cards={chosenShots}
                  others={(productions.data ?? []).filter((p) => p.id !== chosen?.id)}
                  production={chosen?.id ?? ''}
                  changed={refresh}
                  onDone={() => setPicked(new Set())}
                />
              )}
            </div>
          )}
          <ul className="grid grid-cols-[repeat(auto-fill,minmax(290px,1fr))] gap-4.5">
            {shots.isPending &&
              !shots.isError &&
              [0, 1, 2].map((k) => (
                <li key={k} aria-hidden="true" className="h-[268px] rounded-xl border bg-panel opacity-60" />
              ))}
            {listed.map((s, k) => (
              <ShotCard
                key={s.id}
                card={s}
                changed={refresh}
                move={
                  order === 'own' && !wanted && listed.length > 1
                    ? {
                        by: (steps) => {
                          const to = Math.min(Math.max(k + steps, 0), listed.length - 1);
                          const next = listed[steps > 0 ? to + 1 : to];
                          if (to !== k) void reorder(s.id, next?.id ?? null);
                        },
                        here: (id, after) => {
                          const before = after ? (listed[k + 1]?.id ?? null) : s.id;
                          if (id !== before) void reorder(id, before);
                        },
                      }
                    : undefined
                }
                picked={picked.has(s.id)}
                onPick={(on) =>
                  setPicked(
                    (before) => new Set(on ? [...before, s.id] : [...before].filter((id) => id !== s.id)),
                  )
                }
              />
            ))}
            {shots.data && (
              <li>
                <button
                  type="button"
                  onClick={() => setMaking(true)}
                  className="grid h-full min-h-[240px] w-full place-items-center rounded-xl border border-dashed text-dim hover:border-moss hover:text-ink"
                >
                  <span>
                    Type a title to begin
                    <br />
                    <kbd className="text-sm">N</kbd>
                  </span>
                </button>
              </li>
            )}
          </ul>
        </main>
      </div>
      {storing && chosen && <Storage production={chosen.id} onClose={() => setStoring(false)} />}
      {making && chosen && (
        <NewShot
          production={chosen}
          onClose={() => setMaking(false)}
          onMade={async (id) => {
            await refresh();
            go(`/shots/${id}`);
          }}
        />
      )}
    </div>
  );
}

/** Within so long a second press makes a double one. */
const DOUBLE_MS = 260;

const ORDERS = { own: 'your own order', edited: 'last edit', name: 'name', length: 'length' };
type Order = keyof typeof ORDERS;

/** The shots whose names or texts hold all the words that are looked for, in an order. */
export function inOrder(cards: Card[], wanted: string, order: Order): Card[] {
  const words = wanted.toLowerCase().split(/\s+/).filter(Boolean);
  const found = cards.filter(({ title, texts }) => {
    const said = [title, ...texts].join('\n').toLowerCase();
    return words.every((word) => said.includes(word));
  });
  if (order === 'edited') found.sort((a, b) => b.updated_at.localeCompare(a.updated_at));
  if (order === 'name') found.sort((a, b) => a.title.localeCompare(b.title, undefined, { numeric: true }));
  if (order === 'length') found.sort((a, b) => b.seconds - a.seconds);
  return found;
}

/** Shots with one of them put before another, or at the end. */
export function put(ids: string[], moved: string, before: string | null): string[] {
  const rest = ids.filter((id) => id !== moved);
  const at = before === null ? rest.length : rest.indexOf(before);
  return at < 0 ? ids : [...rest.slice(0, at), moved, ...rest.slice(at)];
}

/** What can be done with several shots at once. */
function Several({
  cards,
  others,
  production,
  changed,
  onDone,
}: {
  cards: Card[];
  others: Schemas['ProductionOut'][]; // productions that shots can go to
  production: string;
  changed: () => Promise<unknown>;
  onDone: () => void;
}) {
  const some = (noun: string) => (cards.length === 1 ? `One ${noun}` : `${cards.length} ${noun}s`);
  /** Do something with each; what is said when all of it was done comes once the list shows it. */
  async function each(what: (shot: string) => Promise<unknown>, done?: () => void) {
    let failed = false;
    try {
      for (const card of cards) await what(card.id);
      onDone();
    } catch (error) {
      failed = true;
      complain(error);
    }
    await changed();
    if (!failed) done?.();
  }
  const restore = (shot: string) => ok(api.POST('/api/shots/{shot}/restore', { params: { path: { shot } } }));
  /** A take of each, by the orders that its dialog would begin with. */
  async function order(shot: string) {
    const params = { path: { shot } };
    const { document } = await ok(api.GET('/api/shots/{shot}', { params }));
    const before = await ok(api.GET('/api/shots/{shot}/takes', { params }));
    await ok(api.POST('/api/shots/{shot}/takes', { params, body: ordersFor(document, before, production) }));
  }
  const moving = (to: string) => (shot: string) =>
    ok(api.POST('/api/shots/{shot}/move', { params: { path: { shot } }, body: { production: to } }));
  const move = (to: string) =>
    each(moving(to), () =>
      toast(`${some('shot')} moved to ${others.find((p) => p.id === to)?.name}`, 'note', {
        label: 'Undo',
        run: () => void each(moving(production)),
      }),
    );
  return (
    <>
      <Button
        onClick={() =>
          void each(order, () => toast(`${some('take')} ordered, as each shot was ordered last`))
        }
      >
        <Clapperboard size={13} /> Order takes
      </Button>
      {others.length > 0 && (
        <select
          aria-label="Move the chosen shots to"
          className="h-7 w-36 rounded-md border bg-raised px-1.5 text-sm"
          value=""
          onChange={(e) => void move(e.target.value)}
        >
          <option value="">move to …</option>
          {others.map((p) => (
            <option key={p.id} value={p.id}>
              {p.name}
            </option>
          ))}
        </select>
      )}
      <Button
        onClick={() =>
          void each((shot) => ok(api.POST('/api/shots/{shot}/duplicate', { params: { path: { shot } } })))
        }
      >
        <Copy size={13} /> Duplicate
      </Button>
      <Button
        onClick={() =>
          void each(
            (shot) => ok(api.DELETE('/api/shots/{shot}', { params: { path: { shot } } })),
            () =>
              toast(`${cards.length} shots deleted`, 'note', {
                label: 'Undo',
                run: () => void each(restore),
              }),
          )
        }
      >
        <Trash2 size={13} /> Delete
      </Button>
      <Button look="quiet" onClick={onDone}>
        Choose none
      </Button>
    </>
  );
}

interface CardProps {
  card: Card;
  changed: () => Promise<unknown>;
  picked: boolean;
  onPick: (on: boolean) => void;
  move?: Moves; // where shots stand in their own order
}

/** What puts shots into an order: this one by so many places, and another before or after this one. */
interface Moves {
  by: (steps: number) => void;
  here: (shot: string, after: boolean) => void;
}

const DRAGGED = 'application/x-shot';

function ShotCard({ card, changed, picked, onPick, move }: CardProps) {
  const [over, setOver] = useState<'' | 'before' | 'after'>('');
  const [renaming, setRenaming] = useState(false);
  const [, go] = useLocation();
  const opening = useRef(0);
  const open = () => go(`/shots/${card.id}`);
  const path = { shot: card.id };
  const state = card.take || (card.poster ? `edited ${ago(card.updated_at)}` : 'poster is being rendered');

  async function act(what: () => Promise<unknown>) {
    try {
      await what();
      await changed();
    } catch (error) {
      complain(error);
    }
  }
  const restore = () => act(() => ok(api.POST('/api/shots/{shot}/restore', { params: { path } })));
  const remove = () =>
    act(async () => {
      await ok(api.DELETE('/api/shots/{shot}', { params: { path } }));
      toast(`${card.title} deleted`, 'note', { label: 'Undo', run: () => void restore() });
    });
  const rename = (title: string) =>
    act(() =>
      ok(
        api.POST('/api/shots/{shot}/edits', {
          params: { path },
          body: {
            revision: card.revision,
            label: 'rename',
            patch: [{ op: 'replace', path: '/title', value: title }] as never,
          },
        }),
      ),
    );

  return (
    <li
      className={`group relative rounded-xl border bg-panel focus-within:border-moss hover:border-moss ${picked ? 'border-moss' : ''}`}
      data-testid="shot-card"
      draggable={move !== undefined}
      onDragStart={(e) => {
        e.dataTransfer.setData(DRAGGED, card.id);
        e.dataTransfer.effectAllowed = 'move';
      }}
      onDragOver={(e) => {
        if (!move || !e.dataTransfer.types.includes(DRAGGED)) return;
        e.preventDefault();
        const box = e.currentTarget.getBoundingClientRect();
        setOver(e.clientX > box.x + box.width / 2 ? 'after' : 'before');
      }}
      onDragLeave={() => setOver('')}
      onDrop={(e) => {
        setOver('');
        const shot = e.dataTransfer.getData(DRAGGED);
        if (!move || !shot || shot === card.id) return;
        e.preventDefault();
        move.here(shot, over === 'after');
      }}
    >
      {over && (
        <i
          aria-hidden="true"
          className={`absolute inset-y-2 w-1 rounded bg-moss ${over === 'after' ? '-right-3' : '-left-3'}`}
        />
      )}
      <input
        type="checkbox"
        aria-label={`Choose ${card.title}`}
        checked={picked}
        onChange={(e) => onPick(e.target.checked)}
        className={`absolute top-2.5 left-2.5 z-10 size-4 accent-moss ${picked ? '' : 'opacity-0 focus:opacity-100 group-hover:opacity-100'}`}
      />
      <Link
        href={`/shots/${card.id}`}
        aria-label={`Open ${card.title}`}
        draggable={false}
        className="block aspect-video overflow-hidden rounded-t-xl bg-surround outline-offset-[-3px]"
      >
        {card.poster > 0 ? (
          <img
            src={`/api/shots/${card.id}/poster?revision=${card.poster}`}
            alt=""
            draggable={false}
            className="h-full w-full object-contain"
          />
        ) : (
          <span className="grid h-full place-items-center text-white/80">
            rendering its first frame at rest …
          </span>
        )}
      </Link>
      <div className="px-3.5 py-2.5">
        <div className="flex items-center gap-2">
          {renaming ? (
            <input
              autoFocus
              aria-label="Name of the shot"
              defaultValue={card.title}
              maxLength={200}
              className={inputLook}
              onBlur={(e) => {
                setRenaming(false);
                const t = e.target.value.trim();
                if (t && t !== card.title) void rename(t);
              }}
              onKeyDown={(e) => {
                if (e.key === 'Enter') e.currentTarget.blur();
                if (e.key === 'Escape') {
                  e.currentTarget.value = card.title;
                  e.currentTarget.blur();
                }
              }}
            />
          ) : (
            <Hint
              text={`Open; rename with a double press or F2${move ? '; move with Alt and left or right' : ''}`}
            >
              <button
                type="button"
                className="min-w-0 flex-1 truncate text-left font-semibold"
                aria-keyshortcuts={move ? 'F2 Alt+ArrowLeft Alt+ArrowRight' : 'F2'}
                onClick={(e) => {
                  clearTimeout(opening.current);
                  // A press by keyboard counts no clicks: it opens at once.
                  if (e.detail === 0) open();
                  else if (e.detail === 1) opening.current = window.setTimeout(open, DOUBLE_MS);
                  else setRenaming(true);
                }}
                onKeyDown={(e) => {
                  const steps = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
                  if (e.key === 'F2') setRenaming(true);
                  else if (e.altKey && move && steps) move.by(steps);
                  else return;
                  e.preventDefault();
                }}
              >
                {card.title}
              </button>
            </Hint>
          )}
          <span className="text-dim tabular-nums">{card.seconds.toFixed(2)} s</span>
        </div>
        <div className="flex justify-between text-dim text-sm">
          <span>{state}</span>
          <span>{card.letters > 0 && `${card.letters} letters`}</span>
        </div>
        <div className="mt-2 flex items-center gap-1">
          <div className="flex h-2.5 flex-1 gap-px" role="img" aria-label="How much moves, over the shot">
            {card.strip.map((s, k) => (
              <i
                key={`${k}-${card.id}`}
                className="flex-1 rounded-[1px] bg-moss"
                style={{ opacity: 0.07 + 0.93 * s }}
              />
            ))}
          </div>
          <Hint text="Duplicate">
            <Button
              look="quiet"
              aria-label={`Duplicate ${card.title}`}
              className="px-1.5!"
              onClick={() =>
                void act(() => ok(api.POST('/api/shots/{shot}/duplicate', { params: { path } })))
              }
            >
              <Copy size={13} />
            </Button>
          </Hint>
          <Hint text="Save as a shot file">
            <a
              aria-label={`Save ${card.title} as a shot file`}
              href={`/api/shots/${card.id}/export?format=json`}
              download
              className="grid size-7 place-items-center rounded-md text-dim hover:bg-raised hover:text-ink"
            >
              <FileDown size={13} />
            </a>
          </Hint>
          <Hint text="Delete">
            <Button
              look="quiet"
              aria-label={`Delete ${card.title}`}
              className="px-1.5!"
              onClick={() => void remove()}
            >
              <Trash2 size={13} />
            </Button>
          </Hint>
        </div>
      </div>
    </li>
  );
}

function NewShot({
  production,
  onClose,
  onMade,
}: {
  production: Production;
  onClose: () => void;
  onMade: (id: string) => void;
}) {
  const d = production.defaults;
  const [text, setText] = useState('');
  const [format, setFormat] = useState<Format>({
    width: d.width ?? 1280,
    height: d.height ?? 720,
    numerator: d.fps?.numerator ?? 25,
    denominator: d.fps?.denominator ?? 1,
    first: d.first ?? 0,
    last: d.last ?? 72,
  });
  const [wrong, setWrong] = useState('');
  const [busy, setBusy] = useState(false);

  async function make() {
    setBusy(true);
    setWrong('');
    try {
      const name = text.trim().split('\n')[0]?.slice(0, 200) || 'Untitled';
      const id = await ok(
        api.POST('/api/productions/{production}/shots', {
          params: { path: { production: production.id } },
          body: {
            title: name,
            text,
            width: format.width,
            height: format.height,
            fps: { numerator: format.numerator, denominator: format.denominator },
            first: format.first,
            last: format.last,
          },
        }),
      );
      sessionStorage.setItem(FIRST, id);
      onMade(id);
    } catch (error) {
      setWrong(error instanceof ApiError ? `${error.problem.detail}` : String(error));
      setBusy(false);
    }
  }

  return (
    <Dialog
      open
      onOpenChange={(o) => !o && onClose()}
      title="New shot"
      about={`In ${production.name}. Everything can be changed later.`}
    >
      <form
        onSubmit={(e) => {
          e.preventDefault();
          void make();
        }}
      >
        <Field label="Title">
          <textarea
            autoFocus
            rows={2}
            maxLength={2000}
            className={`${inputLook} h-auto py-1.5 text-lg`}
            placeholder="SALT ROADS"
            value={text}
            onChange={(e) => setText(e.target.value)}
            onKeyDown={(e) => {
              if (e.key !== 'Enter' || e.shiftKey || e.nativeEvent.isComposing) return;
              e.preventDefault();
              void make();
            }}
          />
        </Field>
        <p className="mt-1 mb-3 text-dim text-sm">
          Enter makes the shot, <kbd>Shift</kbd> and Enter begin another line.
        </p>
        <FormatFields value={format} onChange={setFormat} />
        {wrong && (
          <p role="alert" className="mt-3 text-warn">
            {wrong}
          </p>
        )}
        <div className="mt-4 flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button look="main" type="submit" disabled={busy}>
            Make the shot
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

function ago(when: string): string {
  const minutes = (Date.now() - new Date(when).getTime()) / 60000;
  if (minutes < 1.5) return 'just now';
  if (minutes < 90) return `${Math.round(minutes)} min ago`;
  if (minutes < 36 * 60) return `${Math.round(minutes / 60)} h ago`;
  return `${Math.round(minutes / 1440)} days ago`;
}
