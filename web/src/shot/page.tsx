import { Redo2, Undo2 } from 'lucide-react';
import { useCallback, useEffect, useState } from 'react';
import { Link } from 'wouter';
import { Guide } from '../help/guide';
import { Help } from '../help/help';
import { Deliver } from '../takes/deliver';
import { Button, Hint, Mark } from '../ui/controls';
import { type Opened, Palette, Shortcuts, useShotCommands } from './commands';
import { ShotContext, useShot, useShotStore } from './context';
import { Desk } from './desk/desk';
import { Geometry, Licences } from './geometry';
import { Looks } from './looks';
import { Motions } from './motions';
import { Picture } from './picture/picture';
import { Recipe } from './recipe/recipe';
import { Settings } from './settings';
import { Sheet } from './sheet/sheet';
import { createShot } from './store';
import { Transport } from './transport/transport';

export function ShotPage({ id }: { id: string }) {
  const [store] = useState(() => createShot(id, localStorage.getItem(ACROSS) === 'yes'));
  useEffect(() => {
    store.open();
    return () => store.close();
  }, [store]);
  return (
    <ShotContext.Provider value={store}>
      <Screen />
    </ShotContext.Provider>
  );
}

type Open = Opened | '';
/** Whether the sheet runs across is kept for every shot. */
const ACROSS = 'moss-crown.sheet-across';

function Screen() {
  const store = useShotStore();
  const [open, setOpen] = useState<Open>('');
  const show = useCallback((what: Open) => setOpen(what), []);
  const commands = useShotCommands(show);
  const help = useShot((s) => s.help);
  const document = useShot((s) => s.document);
  const failed = useShot((s) => s.failed);
  const across = useShot((s) => s.across);
  const letters = useShot((s) => s.draft?.spans[0]?.letters.length ?? 0);
  const lanes = useShot((s) => s.lanes.filter((path) => s.draft?.keyed[path]).length);
  useEffect(() => localStorage.setItem(ACROSS, across ? 'yes' : 'no'), [across]);
  useEffect(() => {
    if (document) window.document.title = `${document.title}, Moss Crown`;
  }, [document]);

  if (failed) {
    return (
      <main className="grid h-full place-items-center">
        <div className="text-center">
          <h1 className="mb-2 font-semibold text-lg">This shot cannot be opened</h1>
          <p className="mb-4 text-dim">{failed}</p>
          <Link className="text-moss underline" href="/">
            To the slate
          </Link>
        </div>
      </main>
    );
  }
  return (
    <div className="flex h-full min-w-[1100px] flex-col">
      <TopBar open={show} />
      <main
        className="grid min-h-0 flex-1"
        style={
          across
            ? {
                gridTemplateColumns: '232px minmax(0, 1fr) 336px',
                gridTemplateRows: `minmax(0, 1fr) ${264 + 80 * lanes + Math.min(90, 3 * Math.max(0, letters - 16))}px`,
              }
            : { gridTemplateColumns: `232px minmax(0, 1fr) ${336 + 72 * lanes}px` }
        }
      >
        <div className="flex min-h-0 flex-col">
          {/* Above the recipe: at the bottom of this column messages come up. */}
          <Guide />
          <Recipe />
        </div>
        <div className="flex min-h-0 min-w-0 flex-col">
          <Picture />
          <Transport />
          {!across && <Desk />}
        </div>
        {across && <Desk />}
        <Sheet />
      </main>
      <Palette commands={commands} open={open === 'palette'} onOpen={show} onClose={() => show('')} />
      <Help
        open={help !== null}
        at={help ?? { page: 'start' }}
        shortcuts={<Shortcuts commands={commands} />}
        onClose={() => store.explain(null)}
      />
      {document && open === 'deliver' && (
        <Deliver
          shot={store.getState().id}
          production={store.getState().production.id}
          document={document}
          onClose={() => show('')}
        />
      )}
      {open === 'geometry' && <Geometry shot={store.getState().id} onClose={() => show('')} />}
      {open === 'motions' && <Motions onClose={() => show('')} />}
      {open === 'looks' && <Looks production={store.getState().production.id} onClose={() => show('')} />}
      {open === 'licences' && <Licences onClose={() => show('')} />}
      {document && open === 'settings' && (
        <Settings
          document={document}
          onClose={() => show('')}
          onCommit={(patch, rate) => {
            store.edit(patch, 'shot settings');
            if (rate) void store.retime(rate.numerator, rate.denominator, 'seconds');
          }}
        />
      )}
    </div>
  );
}

function TopBar({ open }: { open: (what: Open) => void }) {
  const store = useShotStore();
  const document = useShot((s) => s.document);
  const production = useShot((s) => s.production);
  const saving = useShot((s) => s.saving);
  const solved = useShot((s) => s.solved);
  const undo = useShot((s) => s.undo);
  const redo = useShot((s) => s.redo);
  const fps = document
    ? Number(((document.fps?.numerator ?? 25) / (document.fps?.denominator ?? 1)).toFixed(3))
    : 25;
  const [renaming, setRenaming] = useState(false);
  const frames = document ? (document.last ?? 0) - (document.first ?? 0) + 1 : 0;
  return (
    <header className="flex h-11 shrink-0 items-center gap-2.5 border-b px-3.5">
      <Link href="/" aria-label="Moss Crown, to the slate">
        <Mark />
      </Link>
      <nav aria-label="Where you are" className="flex min-w-0 items-center gap-1.5 text-dim">
        <Link href="/" className="hover:text-ink">
          Slate
        </Link>
        /
        <Link href={`/productions/${production.id}`} className="truncate hover:text-ink">
          {production.name}
        </Link>
        /
        {renaming ? (
          <input
            autoFocus
            aria-label="Name of the shot"
            defaultValue={document?.title}
            maxLength={200}
            className="rounded border bg-bark px-1 text-ink"
            onBlur={(e) => {
              setRenaming(false);
              const title = e.target.value.trim();
              if (title && title !== document?.title)
                store.edit([{ op: 'replace', path: '/title', value: title }], 'rename');
            }}
            onKeyDown={(e) => (e.key === 'Enter' || e.key === 'Escape') && e.currentTarget.blur()}
          />
        ) : (
          <Hint text="Rename this shot">
            <button
              type="button"
              className="truncate font-semibold text-ink"
              onClick={() => setRenaming(true)}
            >
              {document?.title ?? '…'}
            </button>
          </Hint>
        )}
      </nav>
      <Hint text={undo ? `Undo: ${undo}` : 'Nothing to undo'} keys="Ctrl+Z">
        <Button look="quiet" aria-label="Undo" disabled={!undo} onClick={() => void store.history('undo')}>
          <Undo2 size={15} />
        </Button>
      </Hint>
      <Hint text={redo ? `Redo: ${redo}` : 'Nothing to redo'} keys="Ctrl+Shift+Z">
        <Button look="quiet" aria-label="Redo" disabled={!redo} onClick={() => void store.history('redo')}>
          <Redo2 size={15} />
        </Button>
      </Hint>
      <span
        role="status"
        data-testid="saving"
        className={`rounded-full border px-2.5 py-0.5 text-xs ${saving === 'away' ? 'border-warn text-warn' : 'text-dim'}`}
      >
        {saving === 'away' ? 'not saved: waiting for the server' : saving}
      </span>
      {solved !== null && (
        <span
          role="status"
          data-testid="solving"
          className="rounded-full border px-2.5 py-0.5 text-dim text-xs"
        >
          a sketch; solved to {Math.floor(solved)} of {document?.last}
        </span>
      )}
      <span className="flex-1" />
      <Hint text="Size, frame rate and length" keys="S">
        <Button look="quiet" className="tabular-nums" onClick={() => open('settings')}>
          {document?.width} × {document?.height}, {fps} fps, {document?.first} to {document?.last},{' '}
          {(frames / fps).toFixed(2)} s
        </Button>
      </Hint>
      <Hint text="All commands" keys="Ctrl+K">
        <Button look="quiet" onClick={() => open('palette')}>
          Commands
        </Button>
      </Hint>
      <Hint text="Your title in named motions and rigs; keep this one" keys="M">
        <Button look="quiet" onClick={() => open('motions')}>
          Motions
        </Button>
      </Hint>
      <Hint text="Your title in ready looks; keep this one" keys="K">
        <Button look="quiet" onClick={() => open('looks')}>
          Looks
        </Button>
      </Hint>
      <Hint text="This frame from the renderer" keys="P">
        <Button
          onClick={() => {
            store.setView('shot');
            store.setMode('proof');
          }}
        >
          Proof
        </Button>
      </Hint>
      <Hint text="Render frames and a movie" keys="D">
        <Button look="main" onClick={() => open('deliver')}>
          Deliver
        </Button>
      </Hint>
    </header>
  );
}
