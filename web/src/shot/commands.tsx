import { Command } from 'cmdk';
import { useEffect, useMemo, useState } from 'react';
import { useLocation } from 'wouter';
import { PAGE_OF_PART, type Place, placeOf } from '../help/pages';
import { Dialog } from '../ui/controls';
import { toggleTheme } from '../ui/theme';
import { useShotStore } from './context';
import { kern, nudge, pickAll } from './desk/nudge';
import { swapVersions } from './desk/versions';
import { type Found, useFindings } from './finding';
import { mark, toMarker } from './markers';
import type { ShotState, View } from './open/state';
import type { ShotStore } from './store';

const KERN = 5; // thousandths of an em
const NUDGE = 0.01; // cap heights

export type Opened = 'palette' | 'deliver' | 'settings' | 'geometry' | 'licences' | 'looks' | 'motions';

export interface ShotCommand {
  name: string;
  keys: string; // matched by `pressed`, and shown by `Keys`
  also?: string; // words that find it too
  run: () => void;
}

/** Every command with its shortcut: the palette, the help page and the keyboard all read this list. */
export function shotCommands(
  store: ShotStore,
  go: (to: string) => void,
  open: (what: Opened) => void,
): ShotCommand[] {
  const state = () => store.getState();
  const seek = (by: number) => store.seek(state().frame + by);
  const view = (v: View) => () => store.setView(v);
  return [
    { name: 'Play or pause', keys: 'Space', run: () => store.setPlaying(!state().playing) },
    { name: 'One frame on', keys: 'ArrowRight', run: () => seek(1) },
    { name: 'One frame back', keys: 'ArrowLeft', run: () => seek(-1) },
    { name: 'Ten frames on', keys: 'Shift+ArrowRight', run: () => seek(10) },
    { name: 'Ten frames back', keys: 'Shift+ArrowLeft', run: () => seek(-10) },
    { name: 'To the first frame', keys: 'Home', run: () => store.seek(state().draft?.first ?? 0) },
    { name: 'To the last frame', keys: 'End', run: () => store.seek(state().draft?.last ?? 0) },
    { name: 'To the frame of rest', keys: 'R', run: () => store.seek(Math.ceil(state().draft?.rest ?? 0)) },
    { name: 'The other version of this step', keys: 'V', run: () => swapVersions(store) },
    { name: 'Undo', keys: 'Ctrl+Z', run: () => void store.history('undo') },
    { name: 'Redo', keys: 'Ctrl+Shift+Z', run: () => void store.history('redo') },
    { name: 'Redo (also)', keys: 'Ctrl+Y', run: () => void store.history('redo') },
    {
      name: 'Proof or draft',
      keys: 'P',
      run: () => {
        store.setView('shot');
        store.setMode(state().mode === 'proof' ? 'draft' : 'proof');
      },
    },
    {
      name: 'Deliver a take',
      keys: 'D',
      also: 'render export movie mp4 png frames alpha layers exr',
      run: () => open('deliver'),
    },
    { name: 'Motions: try on, set, keep', keys: 'M', run: () => open('motions') },
    { name: 'Looks: keep, compare, put on', keys: 'K', run: () => open('looks') },
    {
      name: 'Letters as geometry',
      keys: 'E',
      also: 'export gltf glb usd obj stl mesh model',
      run: () => open('geometry'),
    },
    { name: 'Licences of the families', keys: 'Shift+L', run: () => open('licences') },
    { name: 'Size, frame rate and length', keys: 'S', run: () => open('settings') },
    { name: 'Through the shot camera', keys: '1', run: view('shot') },
    { name: 'Walk around', keys: '2', run: view('walk') },
    { name: 'From the front', keys: '3', run: view('front') },
    { name: 'From the side', keys: '4', run: view('side') },
    { name: 'From the top', keys: '5', run: view('top') },
    { name: 'Kern: closer to the letter before', keys: 'Alt+ArrowLeft', run: () => kern(store, -KERN) },
    { name: 'Kern: further from the letter before', keys: 'Alt+ArrowRight', run: () => kern(store, KERN) },
    {
      name: 'Nudge the picked letters left',
      keys: 'Alt+Shift+ArrowLeft',
      run: () => nudge(store, -NUDGE, 0),
    },
    {
      name: 'Nudge the picked letters right',
      keys: 'Alt+Shift+ArrowRight',
      run: () => nudge(store, NUDGE, 0),
    },
    { name: 'Nudge the picked letters up', keys: 'Alt+Shift+ArrowUp', run: () => nudge(store, 0, NUDGE) },
    {
      name: 'Nudge the picked letters down',
      keys: 'Alt+Shift+ArrowDown',
      run: () => nudge(store, 0, -NUDGE),
    },
    {
      name: 'Give the picked letters a material of their own',
      keys: 'Shift+M',
      run: () => state().picked.length && void store.dress(state().picked),
    },
    { name: 'Pick every letter', keys: 'A', run: () => pickAll(store) },
    {
      name: 'Pick nothing',
      keys: 'Escape',
      run: () => {
        store.pick([]);
        store.point(null);
      },
    },
    {
      name: 'Light meter: how light each letter is, and how it stands apart',
      keys: 'B',
      also: 'brightness contrast legible clipped white lift separate calm',
      run: () => store.toggle('meter'),
    },
    { name: 'Guides', keys: 'G', run: () => store.toggle('guides') },
    { name: 'Mark this frame, or take its marker away', keys: 'J', run: () => mark(store) },
    { name: 'To the marker before', keys: 'PageUp', run: () => toMarker(store, -1) },
    { name: 'To the marker after', keys: 'PageDown', run: () => toMarker(store, 1) },
    { name: 'Turn the sheet across, or back', keys: 'T', run: () => store.toggle('across') },
    { name: 'Loop', keys: 'L', run: () => store.toggle('loop') },
    { name: 'Play from here', keys: '[', run: () => store.setRange('from') },
    { name: 'Play to here', keys: ']', run: () => store.setRange('to') },
    { name: 'Play all frames', keys: '\\', run: () => store.setRange(null) },
    { name: 'Real time, or every frame', keys: 'Shift+E', run: () => store.toggle('everyFrame') },
    { name: 'Light or dark', keys: 'Shift+T', run: toggleTheme },
    { name: 'To the slate', keys: 'Shift+S', run: () => go(`/productions/${state().production.id}`) },
    { name: 'To the next part of the screen', keys: 'F6', run: () => toRegion(1) },
    { name: 'To the part of the screen before', keys: 'Shift+F6', run: () => toRegion(-1) },
    { name: 'Find a command', keys: 'Ctrl+K', run: () => open('palette') },
    {
      name: 'Help on what has the focus',
      keys: 'F1',
      also: 'manual pages what is this',
      run: () => store.explain(helpOf(document.activeElement, state())),
    },
    { name: 'Shortcuts', keys: '?', run: () => store.explain({ page: 'shortcuts' }) },
    {
      name: 'First title, step by step',
      keys: 'Shift+F1',
      also: 'guide tour tutorial take me through it begin',
      run: () => store.guide(0),
    },
  ];
}

const LABELS: Record<string, string> = {
  ArrowLeft: '←',
  ArrowRight: '→',
  ArrowUp: '↑',
  ArrowDown: '↓',
  PageUp: 'Page up',
  PageDown: 'Page down',
  Escape: 'Esc',
};

/** Keys as they are labelled. */
export function Keys({ keys }: { keys: string }) {
  return (
    <span className="shrink-0 whitespace-nowrap">
      {keys.split('+').map((key) => (
        <kbd key={key} className="ml-1 rounded border px-1">
          {LABELS[key] ?? key}
        </kbd>
      ))}
    </span>
  );
}

/** The parts of the screen, in the order of the way through them. */
const REGIONS = ['Recipe', 'Picture', 'Desk', 'Sheet'];

/** Move the focus to another part of the screen: to what is chosen there, else to its first control. */
function toRegion(by: number) {
  const all = REGIONS.flatMap(
    (name) => document.querySelector<HTMLElement>(`:is(nav, section)[aria-label="${name}"]`) ?? [],
  );
  const here = all.findIndex((region) => region.contains(document.activeElement));
  const region = all[(here < 0 && by < 0 ? -1 : here + by + all.length) % all.length] ?? all.at(-1);
  const chosen = region?.querySelector<HTMLElement>(
    '[aria-current="step"], [role="tab"][aria-selected="true"]',
  );
  const first = region?.querySelector<HTMLElement>('button, input, select, textarea, canvas[tabindex="0"]');
  (region?.querySelector<HTMLElement>('canvas[tabindex="0"]') ?? chosen ?? first)?.focus();
}

/** The page of the help, and the place on it, that is about an element: a value on the desk, a step, a part of the screen. */
function helpOf(element: Element | null, state: ShotState): Place {
  const part = element?.closest('section[aria-label], nav[aria-label]')?.getAttribute('aria-label') ?? 'Desk';
  const kind = state.document?.steps?.find((step) => step.id === state.step)?.kind;
  if (part !== 'Desk' && PAGE_OF_PART[part] && !(part === 'Recipe' && kind))
    return { page: PAGE_OF_PART[part] };
  if (!kind) return { page: 'start' };
  return placeOf(kind, element?.closest('[data-path]')?.getAttribute('data-path') ?? '');
}

const BARE_KEYS_IN = 'input, textarea, select, [role="listbox"], [role="dialog"]';

const ALWAYS = ['Ctrl+K', 'F1', 'Shift+F1', 'F6', 'Shift+F6'];

function pressed(e: KeyboardEvent): string {
  const key = e.key === ' ' ? 'Space' : e.key.length === 1 ? e.key.toUpperCase() : e.key;
  const shift = e.shiftKey && (e.key.length > 1 || /[a-z]/i.test(e.key)) ? 'Shift+' : '';
  return `${e.altKey ? 'Alt+' : ''}${e.ctrlKey || e.metaKey ? 'Ctrl+' : ''}${shift}${key}`;
}

export function useShortcuts(commands: ShotCommand[]) {
  useEffect(() => {
    const listen = (e: KeyboardEvent) => {
      if (e.defaultPrevented) return;
      const target = e.target as HTMLElement;
      const keys = pressed(e);
      // While one types, only what no field understands itself; Space still presses a focused button.
      if (target.closest(BARE_KEYS_IN) && !ALWAYS.includes(keys)) return;
      if (keys === 'Space' && target.closest('button, a')) return;
      const command = commands.find((c) => c.keys === keys);
      if (!command) return;
      e.preventDefault();
      command.run();
    };
    // A button pressed with the mouse gives its focus up, so that Space plays; reached by keyboard it keeps it.
    const letGo = (e: MouseEvent) => {
      const button = (e.target as HTMLElement).closest('button');
      if (e.detail > 0 && button && !button.closest('[role="dialog"]')) button.blur();
    };
    window.addEventListener('keydown', listen);
    window.addEventListener('click', letGo);
    return () => {
      window.removeEventListener('keydown', listen);
      window.removeEventListener('click', letGo);
    };
  }, [commands]);
}

export function useShotCommands(open: (what: Opened) => void) {
  const store = useShotStore();
  const [, go] = useLocation();
  const commands = useMemo(() => shotCommands(store, go, open), [store, go, open]);
  useShortcuts(commands);
  return commands;
}

const GROUP_LOOK =
  '[&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:text-dim [&_[cmdk-group-heading]]:text-xs';

/** How well what is looked for fits: every word of it is in a name, where it counts most at a beginning, or in what is said
 *  of it. The identity of an item, which has to be its own, finds nothing. */
export function closeness(_: string, search: string, keywords: string[] = []): number {
  const [name = '', also = ''] = keywords.map((k) => k.toLowerCase());
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const each = words.map((word) => {
    if (name.startsWith(word)) return 1;
    if (new RegExp(`[^a-z]${word.replace(/\W/g, '\\$&')}`).test(name)) return 0.9;
    if (name.includes(word)) return 0.6;
    return also.includes(word) ? 0.4 : 0;
  });
  return Math.min(1, ...each);
}

/** Everything there is, by its name: commands with their keys, and whatever else can be found and done. */
export function Palette({
  commands,
  open,
  onOpen,
  onClose,
}: {
  commands: ShotCommand[];
  open: boolean;
  onOpen: (what: Opened) => void;
  onClose: () => void;
}) {
  const [typed, setTyped] = useState('');
  const found = useFindings(open, onOpen);
  const all: (Found & { keys?: string })[] = [
    ...commands
      .filter((c) => c.name !== 'Find a command')
      .map((c) => ({ ...c, id: `command ${c.name}`, group: 'Commands', also: c.also ?? '' })),
    ...found,
  ];
  // All of it would be too long to read: what has no shortcut comes when something is typed.
  const shown = typed.trim() ? all : all.filter((one) => one.keys);
  const groups = [...new Set(shown.map((one) => one.group))].map(
    (group) => [group, shown.filter((one) => one.group === group)] as const,
  );
  return (
    <Dialog
      open={open}
      onOpenChange={(o) => !o && onClose()}
      title="Find a command"
      about="Commands, steps, values, motions, materials, looks, families, kits of lights: type a part of a name, Enter does it."
    >
      <Command label="Commands" filter={closeness}>
        <Command.Input
          value={typed}
          onValueChange={setTyped}
          autoFocus
          aria-label="Command"
          className="mb-2 h-8 w-full rounded-md border bg-bark px-2"
        />
        <Command.List className="max-h-80 overflow-auto">
          <Command.Empty className="p-2 text-dim">Nothing of that name.</Command.Empty>
          {groups.map(([group, items]) => (
            <Command.Group key={group} heading={group} className={GROUP_LOOK}>
              {items.map((c) => (
                <Command.Item
                  key={c.id}
                  value={c.id}
                  keywords={[c.name, c.also]}
                  onSelect={() => {
                    onClose();
                    c.run();
                  }}
                  className="flex justify-between gap-4 rounded-md px-2 py-1 data-[selected=true]:bg-moss-deep"
                >
                  <span className="truncate">{c.name}</span>
                  {c.keys && <Keys keys={c.keys} />}
                </Command.Item>
              ))}
            </Command.Group>
          ))}
        </Command.List>
      </Command>
    </Dialog>
  );
}

/** What the mouse does, on the sheet and in the picture. */
const GESTURES: [string, string][] = [
  ['Stretch the stagger', 'drag the diagonal at a start'],
  ['Bend the stagger', 'Shift and drag it'],
  ['Pull one letter off the stagger', 'Alt and drag its start'],
  ['Choose keys', 'press a ring; Shift and drag around several'],
  ['Move chosen keys', 'drag one of them; with Alt a copy'],
  ['Go to a frame', 'press or drag beside the letters'],
  ['Pick letters', 'press them in the picture; drag around several'],
  ['Move the camera', 'with Camera chosen: drag, or the wheel'],
  ['Turn the surroundings', 'with Environment chosen: drag the ball'],
  ['Change a number', 'drag it sideways; Shift for larger steps'],
  ['Type a formula', 'begin with ='],
];

/** Everything by hand and by keyboard: the last page of the help. */
export function Shortcuts({ commands }: { commands: ShotCommand[] }) {
  return (
    <>
      <p className="mb-3 text-dim">
        Everything is reachable by keyboard; on the sheet, up and down step frames, with Alt they move the
        stagger, with Alt and Shift they stretch it.
      </p>
      <h4 className="mb-1 text-dim text-sm">By hand</h4>
      <dl className="mb-4 columns-2 gap-8">
        {GESTURES.map(([what, how]) => (
          <div key={what} className="flex justify-between gap-4 border-b py-1">
            <dt>{what}</dt>
            <dd className="text-right text-dim">{how}</dd>
          </div>
        ))}
      </dl>
      <h4 className="mb-1 text-dim text-sm">By keyboard</h4>
      <dl className="columns-2 gap-8">
        {commands.map((c) => (
          <div key={c.name} className="flex justify-between border-b py-1">
            <dt>{c.name}</dt>
            <dd className="text-dim">
              <Keys keys={c.keys} />
            </dd>
          </div>
        ))}
      </dl>
    </>
  );
}
